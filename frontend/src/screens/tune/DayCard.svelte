<script lang="ts">
  import { api, ask } from '../../lib/api'
  import { delivery, headroom, percent, sentence } from '../../lib/format'
  import type { Day } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  let { state: call }: { state: CallState } = $props()
  const answer = new Resource<Day>((signal) =>
    ask(
      api.POST('/api/calls/{call_id}/day', {
        params: { path: { call_id: call.id } },
        body: { settings: call.settings, stands: [] },
        signal,
      }),
    ),
  )
  const day = $derived(answer.value)
</script>

<article class="page" aria-label="Over the day">
  <h3 class="mb-1">Over the day</h3>
  {#if day}
    <p class="mb-2">{sentence(day.text)}.</p>
    <Ledger
      heads={[
        'Part',
        ['Listened', 'figure'],
        ['Busiest channel', 'figure'],
        ['Problems', 'figure'],
        ['Headroom', 'figure'],
        ['Worst Zigbee', 'figure'],
        'Also runs',
      ]}
    >
      {#each day.parts as part (part.name)}
        <tr class:font-bold={part.name === day.worst && day.parts.filter((p) => p.scans).length > 1}>
          <td>{part.name} <span class="text-soft">{part.from_hour} to {part.to_hour} h</span></td>
          {#if part.scans}
            <td class="number">{part.scans} at {part.places} places</td>
            <td class="number">{percent(part.busy_fraction)}</td>
            <td class="number">{part.problems}</td>
            <td class="number">{headroom(part.headroom)}</td>
            <td class="number">{delivery(part.worst_zigbee_delivery)}</td>
          {:else}<td class="number text-soft" colspan="5">nobody listened: not known</td>{/if}
          <td class="text-soft">{part.running.join(', ')}</td>
        </tr>
      {/each}
    </Ledger>
  {:else}<p class="text-soft">Going through the day…</p>{/if}
</article>
