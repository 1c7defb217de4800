<script lang="ts">
  import { Plus, X } from '@lucide/svelte'
  import { api, ask } from '../../lib/api'
  import { CABLE } from '../../lib/kit'
  import type { Band, NodeTemplate, Node } from '../../lib/types'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import PlacePick from '../../parts/PlacePick.svelte'
  import NodeRadios from './NodeRadios.svelte'
  import Switches from './Switches.svelte'

  let { state: call }: { state: CallState } = $props()
  let name = $state('')
  let placeId = $state('')
  let kind = $state('dual band, 802.11ax')
  const known = new Resource<NodeTemplate[]>((signal) => ask(api.GET('/api/node-kinds', { signal })))
  const kinds = $derived((known.value ?? []).map((k) => k.name))

  async function add(event: SubmitEvent) {
    event.preventDefault()
    const path = { params: { path: { call_id: call.id } } }
    const body = { name, place_id: placeId, kind }
    if (await call.change(() => api.POST('/api/calls/{call_id}/nodes', { ...path, body }), `added ${name}`))
      name = ''
  }
  function remove(id: string, label: string) {
    const gone = new Set(call.job.nodes.find((n) => n.id === id)?.radios.map((r) => r.id))
    const settings = {
      ...call.job.settings,
      radios: call.job.settings.radios.filter((s) => !gone.has(s.radio_id)),
    }
    const nodes = call.job.nodes.filter((n) => n.id !== id)
    return call.edit({ ...call.job, nodes, settings }, `removed the node ${label}`)
  }
  function uplink(id: string, value: string) {
    const [to, band, mine, theirs] = value.split('|')
    const nodes = call.job.nodes.map((n) =>
      n.id === id
        ? {
            ...n,
            uplink: to
              ? {
                  ...CABLE,
                  to_node_id: to,
                  band: (band || null) as Band | null,
                  rssi_dbm: null,
                  radio_id: mine || null,
                  to_radio_id: theirs || null,
                  switch_id: band ? null : (n.uplink?.switch_id ?? null),
                }
              : null,
          }
        : n,
    )
    return call.edit({ ...call.job, nodes }, `changed the feed of ${id}`)
  }
  const feedKey = (up: NonNullable<Node['uplink']>) =>
    up.band ? `${up.to_node_id}|${up.band}|${up.radio_id ?? ''}|${up.to_radio_id ?? ''}` : `${up.to_node_id}|`
  /** Pairs of radios that could carry a link; radios are named only where a box has two on the band. */
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
  function throughSwitch(id: string, switch_id: string | null) {
    const nodes = call.job.nodes.map((n) =>
      n.id === id && n.uplink ? { ...n, uplink: { ...n.uplink, switch_id } } : n,
    )
    return call.edit({ ...call.job, nodes }, `changed the cable of ${id}`)
  }
  function ability(id: string, what: Partial<Node>, summary: string) {
    const nodes = call.job.nodes.map((n) => (n.id === id ? { ...n, ...what } : n))
    return call.edit({ ...call.job, nodes }, `changed the ${summary}`.slice(0, 80))
  }
  function linkLevel(id: string, rssi_dbm: number | null) {
    const nodes = call.job.nodes.map((n) =>
      n.id === id && n.uplink ? { ...n, uplink: { ...n.uplink, rssi_dbm } } : n,
    )
    return call.edit({ ...call.job, nodes }, `changed the link level of ${id}`)
  }
</script>

<section class="page">
  <h2 class="mb-2">Own nodes</h2>
  {#each call.job.nodes as node (node.id)}
    <div class="mb-3 border-b border-(--rule) pb-3">
      <div class="mb-1 flex flex-wrap items-center gap-3">
        <h3>{node.name}</h3>
        <span class="text-sm text-soft">at {call.job.places.find((p) => p.id === node.place_id)?.name}</span>
        <label class="flex items-center gap-1 text-sm text-soft"
          >fed by
          <select
            class="field slim text-ink"
            value={node.uplink ? feedKey(node.uplink) : '|'}
            onchange={(e) => uplink(node.id, e.currentTarget.value)}
          >
            <option value="|">the line itself</option>
            {#each call.job.nodes.filter((n) => n.id !== node.id) as other (other.id)}
              <option value="{other.id}|">cable to {other.name}</option>
              {#each radioFeeds(node, other) as feed (feed.key)}<option value={feed.key}
                  >radio to {other.name}, {feed.text}</option
                >{/each}
            {/each}
          </select>
        </label>
        {#if node.uplink?.band}
          <label class="flex items-center gap-1 text-sm text-soft"
            >link level, dBm<input
              class="field slim w-20 text-ink"
              type="number"
              min="-120"
              max="0"
              value={node.uplink.rssi_dbm}
              placeholder="not read"
              onchange={(e) =>
                linkLevel(node.id, e.currentTarget.value === '' ? null : Number(e.currentTarget.value))}
            /></label
          >
        {/if}
        {#if node.uplink && !node.uplink.band && call.job.switches.length}
          <label class="flex items-center gap-1 text-sm text-soft"
            >through
            <select
              class="field slim text-ink"
              value={node.uplink.switch_id ?? ''}
              onchange={(e) => throughSwitch(node.id, e.currentTarget.value || null)}
            >
              <option value="">no switch</option>
              {#each call.job.switches as s (s.id)}<option value={s.id}>{s.name}</option>{/each}
            </select></label
          >
        {/if}
        <label class="flex items-center gap-1 text-sm text-soft"
          >is a
          <select
            class="field slim text-ink"
            aria-label="What {node.name} is"
            value={node.kind}
            onchange={(e) =>
              ability(node.id, { kind: e.currentTarget.value as Node['kind'] }, `kind of ${node.name}`)}
          >
            <option value="node">node</option>
            <option value="repeater">repeater under another name</option>
            <option value="cellular gateway">cellular gateway</option>
          </select></label
        >
        <label class="flex items-center gap-1 text-sm text-soft"
          >steering
          <select
            class="field slim text-ink"
            aria-label="Steering of {node.name}"
            value={node.steering}
            onchange={(e) =>
              ability(
                node.id,
                { steering: e.currentTarget.value as Node['steering'] },
                `steering of ${node.name}`,
              )}
          >
            {#each rules.offered.steering as can (can)}<option>{can}</option>{/each}
          </select></label
        >
        <label class="flex items-center gap-1 text-sm text-soft"
          >carries well<input
            class="field slim w-16 text-ink"
            type="number"
            min="1"
            max="1000"
            aria-label="Devices that {node.name} carries well"
            value={node.device_limit}
            onchange={(e) =>
              ability(
                node.id,
                { device_limit: Number(e.currentTarget.value) },
                `devices that ${node.name} carries well`,
              )}
          /></label
        >
        <span class="grow"></span>
        <button class="button slim" aria-label="Remove {node.name}" onclick={() => remove(node.id, node.name)}
          ><X size={14} /></button
        >
      </div>
      <NodeRadios {call} {node} />
    </div>
  {/each}
  {#if call.job.nodes.length}<Switches {call} />{/if}
  {#if call.job.places.length}
    <form class="flex flex-wrap items-end gap-2" onsubmit={add}>
      <label class="grid text-sm text-soft"
        >Node<input class="field text-base text-ink" bind:value={name} required maxlength="80" /></label
      >
      <PlacePick job={call.job} label="Stands at" bind:value={placeId} />
      <label class="grid text-sm text-soft"
        >Kind
        <select class="field text-base text-ink" bind:value={kind}
          >{#each kinds as k (k)}<option>{k}</option>{/each}</select
        >
      </label>
      <button class="button"><Plus size={16} />Add node</button>
    </form>
  {:else}<p class="text-soft">Add a place first.</p>{/if}
</section>
