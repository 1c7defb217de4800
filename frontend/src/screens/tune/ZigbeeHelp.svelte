<script lang="ts">
  import { api, ask } from '../../lib/api'
  import { delivery, fixed, percent, prose } from '../../lib/format'
  import type { ZigbeeHelp } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import { rules } from '../../state/rules.svelte'
  import MeshOnHouse from './MeshOnHouse.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  let { state: call }: { state: CallState } = $props()
  const answer = new Resource<ZigbeeHelp>((signal) =>
    ask(
      api.POST('/api/calls/{call_id}/zigbee-help', {
        params: { path: { call_id: call.id } },
        body: { settings: call.settings, stands: [] },
        signal,
      }),
    ),
  )
  const help = $derived(answer.value)
  let shown = $state<'' | 'mesh' | 'repeater' | 'hub' | 'turn' | 'channels'>('')
  const nodeName = (id: string | null) => call.job.nodes.find((n) => n.id === id)?.name ?? ''
</script>

<section class="mt-3 border-t border-(--rule) pt-3" aria-label="What would help Zigbee">
  {#if help}
    <p class="mb-2">
      <strong>What would help:</strong>
      {prose(help.text)}.
      {#if help.near_m !== null}<span class="text-soft"
          >The hub is {fixed(help.near_m, 1)} m from {nodeName(help.near_node_id)}.</span
        >{/if}
    </p>
    <div class="flex flex-wrap gap-2">
      {#each [['mesh', 'The mesh on the house'], ['repeater', 'A repeater'], ['hub', 'The hub elsewhere'], ['turn', 'The hub turned'], ['channels', 'Another channel']] as [key, label] (key)}
        <button
          class="button slim"
          aria-expanded={shown === key}
          disabled={((key === 'repeater' || key === 'hub') && !help.repeater.length) ||
            (key === 'turn' && !help.turns.length)}
          onclick={() => (shown = shown === key ? '' : (key as typeof shown))}>{label}</button
        >
      {/each}
    </div>
    {#if shown === 'mesh'}<MeshOnHouse state={call} {help} />
    {:else if shown === 'turn'}
      <Ledger
        label="Ways to turn the hub"
        class="mt-2 text-sm"
        heads={[
          'Its antenna faces',
          [`Short of ${percent(rules.offered.wanted_delivery)}`, 'figure'],
          ['Worst', 'figure'],
        ]}
      >
        {#each help.turns as t (t.faces_deg)}
          <tr class:font-bold={t.now}
            ><td>{t.faces_deg}°{t.now ? ', now' : ''}</td><td class="number">{t.short}</td><td
              class="number figure">{delivery(t.worst)}</td
            ></tr
          >
        {/each}
      </Ledger>
      <p class="text-sm text-soft">
        0° is to the right of the plan, 90° to its back. Three dB more in front than to the side: try it, and
        read the link table again.
      </p>
    {:else if shown === 'repeater' || shown === 'hub'}
      <table
        class="ledger mt-2 text-sm"
        aria-label={shown === 'hub' ? 'Spots for the hub' : 'Spots for a repeater'}
      >
        <thead
          ><tr
            ><th>Best of {help.tried} spots, all tried</th><th class="number"
              >Short of {percent(rules.offered.wanted_delivery)}</th
            ><th class="number">Worst</th><th class="number">Mean</th></tr
          ></thead
        >
        <tbody>
          {#each shown === 'hub' ? help.hub : help.repeater as spot (spot.name + spot.x_m)}
            <tr
              ><td>{spot.name}</td><td class="number">{spot.short}</td><td class="number figure"
                >{delivery(spot.worst)}</td
              ><td class="number">{delivery(spot.mean)}</td></tr
            >
          {/each}
          <tr
            ><td>as it is</td><td class="number">{help.short}</td><td class="number figure"
              >{delivery(help.worst)}</td
            ><td></td></tr
          >
        </tbody>
      </table>
    {:else if shown === 'channels'}
      <Ledger
        label="Zigbee channels"
        class="mt-2 text-sm"
        heads={[
          'Channel',
          [`Short of ${percent(rules.offered.wanted_delivery)}`, 'figure'],
          ['Worst', 'figure'],
          ['May need pairing', 'figure'],
          '',
        ]}
      >
        {#each help.channels as c (c.channel)}
          <tr class:font-bold={c.channel === call.settings.zigbee_channel}
            ><td>{c.channel}{c.now ? ', now' : ''} <span class="text-soft">{c.caution}</span></td><td
              class="number">{c.short}</td
            ><td class="number figure">{delivery(c.worst)}</td><td class="number">{c.may_need_pairing}</td><td
              class="number"
              ><button
                class="button slim"
                onclick={() => call.try({ ...call.settings, zigbee_channel: c.channel })}>Try</button
              ></td
            ></tr
          >
        {/each}
      </Ledger>
    {/if}
  {:else}<p class="text-soft">Trying every spot…</p>{/if}
</section>
