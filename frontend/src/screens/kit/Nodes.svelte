<script lang="ts">
  import { prose } from '../../lib/format'
  import { Plus, X } from '@lucide/svelte'
  import { api, ask } from '../../lib/api'
  import { CABLE } from '../../lib/kit'
  import type { Band, KitView, Node, NodeTemplate, Patch } from '../../lib/types'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import PlacePick from '../../parts/PlacePick.svelte'
  import NodeRadios from './NodeRadios.svelte'
  import Switches from './Switches.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'
  import NumberCell from '../../parts/NumberCell.svelte'
  import Tick from '../../parts/Tick.svelte'

  let { state: call }: { state: CallState } = $props()
  let name = $state('')
  let placeId = $state('')
  let kind = $state('dual band, 802.11ax')
  const known = new Resource<NodeTemplate[]>((signal) => ask(api.GET('/api/node-kinds', { signal })))
  const kinds = $derived((known.value ?? []).map((k) => k.name))

  const kit = new Resource<KitView>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/kit', { params: { path: { call_id: call.id } }, signal }))
  })
  const leftOut = $derived(
    (known.value?.find((k) => k.name === kind)?.bands ?? []).filter((b) =>
      (kit.value?.closed_bands ?? []).includes(b),
    ),
  )

  async function add(event: SubmitEvent) {
    event.preventDefault()
    const path = { params: { path: { call_id: call.id } } }
    const body = { name, place_id: placeId, kind }
    if (await call.change(() => api.POST('/api/calls/{call_id}/nodes', { ...path, body }), `added ${name}`))
      name = ''
  }
  const remove = (id: string, label: string) => call.remove('nodes', id, `removed the node ${label}`)
  function uplink(node: Node, value: string) {
    const [to, band, mine, theirs] = value.split('|')
    const uplink = to
      ? {
          ...CABLE,
          to_node_id: to,
          band: (band || null) as Band | null,
          radio_id: mine || null,
          to_radio_id: theirs || null,
          switch_id: band ? null : (node.uplink?.switch_id ?? null),
        }
      : null
    return call.alter('nodes', node.id, { uplink }, `changed the uplink of ${node.name}`)
  }
  const feedKey = (up: NonNullable<Node['uplink']>) =>
    up.band ? `${up.to_node_id}|${up.band}|${up.radio_id ?? ''}|${up.to_radio_id ?? ''}` : `${up.to_node_id}|`
  /** Pairs of radios that could carry a link; radios are named only where a node has two on the band. */
  function radioFeeds(node: Node, other: Node) {
    const two = (n: Node, band: Band) => n.radios.filter((r) => r.band === band).length > 1
    return other.radios.flatMap((near) =>
      node.radios
        .filter((far) => far.band === near.band)
        .map((far) => {
          const mine = two(node, far.band) ? far.id : ''
          const theirs = two(other, near.band) ? near.id : ''
          const by = [theirs, mine].filter(Boolean).join(' to ')
          return { key: `${other.id}|${far.band}|${mine}|${theirs}`, text: far.band + (by && `, ${by}`) }
        }),
    )
  }
  /** Who says which node a radio link goes to. */
  const LINK_WAYS = [
    ['fixed', 'stays as it is'],
    ['chosen', 'can be chosen'],
    ['mesh', 'found by the mesh'],
  ] as const
  const linked = (node: Node, way: string) =>
    change(
      node,
      { can_choose_parent: way === 'chosen', self_forming: way === 'mesh' },
      'way of finding its link',
    )
  const change = (node: Node, what: Patch<Node>, summary: string) =>
    call.alter('nodes', node.id, what, `changed the ${summary} of ${node.name}`)
</script>

<section class="page">
  <h2 class="mb-2">Own nodes</h2>
  {#each call.job.nodes as node (node.id)}
    <div class="mb-3 border-b border-(--rule) pb-3">
      <div class="mb-1 flex items-start gap-3">
        <div class="flex grow flex-wrap items-center gap-3">
          <h3>{node.name}</h3>
          <span class="text-sm text-soft">at {call.job.places.find((p) => p.id === node.place_id)?.name}</span
          >
          <Field label="uplink" beside
            ><select
              class="field slim max-w-56 text-ink"
              value={node.uplink ? feedKey(node.uplink) : '|'}
              onchange={(e) => uplink(node, e.currentTarget.value)}
            >
              <option value="|">the provider’s line</option>
              {#each call.job.nodes.filter((n) => n.id !== node.id) as other (other.id)}
                <option value="{other.id}|">cable to {other.name}</option>
                {#each radioFeeds(node, other) as feed (feed.key)}<option value={feed.key}
                    >radio to {other.name}, {prose(feed.text)}</option
                  >{/each}
              {/each}
            </select>
          </Field>
          {#if node.uplink?.band}
            <Field label="link level, dBm" beside
              ><NumberCell
                class="field slim w-20 text-ink"
                min="-120"
                max="0"
                value={node.uplink.rssi_dbm}
                placeholder="not read"
                onpick={(n) =>
                  change(
                    node,
                    {
                      uplink: { rssi_dbm: n, read_at_eirp_dbm: null, expected: false },
                    },
                    'link level',
                  )}
                onempty={() =>
                  change(
                    node,
                    {
                      uplink: { rssi_dbm: null, read_at_eirp_dbm: null },
                    },
                    'link level',
                  )}
              /></Field
            >
          {/if}
          {#if node.uplink?.expected}
            <button
              class="button slim"
              onclick={() =>
                call.alter(
                  'nodes',
                  node.id,
                  { uplink: { expected: false } },
                  `read the link of ${node.name}: as expected`,
                )}>Link read: as expected</button
            >
          {/if}
          {#if node.uplink && !node.uplink.band && call.job.switches.length}
            <Field label="through" beside
              ><Picker
                class="field slim max-w-40 text-ink"
                value={node.uplink.switch_id ?? ''}
                onchange={(e) =>
                  change(node, { uplink: { switch_id: e.currentTarget.value || null } }, 'cable')}
                options={call.job.switches.map((s) => [s.id, s.name] as const)}
                empty="no switch"
              /></Field
            >
          {/if}
          <Field label="is a" beside
            ><select
              class="field slim max-w-40 text-ink"
              aria-label="What {node.name} is"
              value={node.kind}
              onchange={(e) => change(node, { kind: e.currentTarget.value as Node['kind'] }, 'kind')}
            >
              <option value="node">node</option>
              <option value="repeater">repeater under another name</option>
              <option value="cellular gateway">cellular gateway</option>
            </select></Field
          >
          <Field label="steering" beside
            ><Picker
              class="field slim max-w-40 text-ink"
              aria-label="Steering of {node.name}"
              value={node.steering}
              onchange={(e) =>
                change(node, { steering: e.currentTarget.value as Node['steering'] }, 'steering')}
              options={rules.offered.steering}
            /></Field
          >
          <Field label="device limit" beside
            ><NumberCell
              class="field slim w-16 text-ink"
              min="1"
              max="1000"
              aria-label="Device limit of {node.name}"
              value={node.device_limit}
              onpick={(n) => change(node, { device_limit: n }, 'number of devices')}
            /></Field
          >
          <Tick
            checked={node.of_the_provider}
            label="{node.name} belongs to the provider"
            onpick={(on) => change(node, { of_the_provider: on }, 'owner')}>belongs to the provider</Tick
          >
          {#if node.uplink?.band}
            <Field label="its link" beside
              ><Picker
                class="field slim max-w-44 text-ink"
                aria-label="Who says where the link of {node.name} goes"
                value={node.self_forming ? 'mesh' : node.can_choose_parent ? 'chosen' : 'fixed'}
                options={LINK_WAYS}
                onchange={(e) => linked(node, e.currentTarget.value)}
              /></Field
            >
          {:else if node.uplink}
            <Tick
              checked={node.self_forming}
              label="{node.name} is on the gateway’s channels, as all of its mesh"
              onpick={(on) => change(node, { self_forming: on }, 'mesh')}>on the gateway’s channels</Tick
            >
          {/if}
        </div>
        <button
          class="button slim shrink-0"
          aria-label="Remove {node.name}"
          onclick={() => remove(node.id, node.name)}><X size={14} /></button
        >
      </div>
      <NodeRadios {call} {node} />
    </div>
  {/each}
  {#if call.job.nodes.length}<Switches {call} />{/if}
  <form class="flex flex-wrap items-end gap-2" onsubmit={add}>
    <Field label="Node"
      ><input class="field text-base text-ink" bind:value={name} required maxlength="80" /></Field
    >
    <PlacePick {call} label="Stands at" bind:value={placeId} />
    <Field label="Kind"><Picker class="field text-base text-ink" bind:value={kind} options={kinds} /></Field>
    <button class="button"><Plus size={16} />Add node</button>
    {#if leftOut.length}<p class="w-full text-sm text-accent">
        {call.job.country} closes {leftOut.join(' and ')} to access points: such a node is written down without
        that radio.
      </p>{/if}
  </form>
</section>
