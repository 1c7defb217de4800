<script lang="ts">
  import Sign from '../../parts/Sign.svelte'
  import { api, ask } from '../../lib/api'
  import { dbm, delivery, fixed, headroom, mbps, prose } from '../../lib/format'
  import type { PredictedAndCame } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  let { call }: { call: CallState } = $props()
  const answer = new Resource<PredictedAndCame>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/predicted', { params: { path: { call_id: call.id } }, signal }))
  })
  const view = $derived(answer.value)
  const value = (unit: string, x: number) =>
    unit === 'dBm' ? dbm(x) : unit === 'Mb/s' ? mbps(x) : unit === 'ms' ? `${fixed(x)} ms` : delivery(x)
</script>

{#if view}
  <section class="page mb-4" aria-label="Predicted and what came">
    <h2 class="mb-1">Predicted, and what came: {prose(view.text)}.</h2>
    <p class="mb-2 text-sm">
      Problems: {view.problems_predicted} promised, {view.problems_now} with what is heard now. Headroom: {headroom(
        view.headroom_predicted,
      )} promised, {headroom(view.headroom_now)} now.
      {#if view.learnt}<strong>What the house has taught:</strong>
        {prose(view.learnt.text)}.{/if}
    </p>
    {#if view.entries.length}
      <Ledger heads={['', 'What', ['Predicted', 'figure'], ['Came', 'figure'], ['Within', 'figure']]}>
        {#each view.entries as e, i (i)}
          <tr class:font-bold={!e.agrees}>
            <td><Sign mark={e.agrees ? '●' : '◆'} says={e.agrees ? 'as promised' : 'otherwise'} /></td>
            <td>{e.subject} <span class="text-soft">{e.kind}</span></td>
            <td class="number">{value(e.unit, e.predicted)}</td>
            <td class="number">{value(e.unit, e.came)}</td>
            <td class="number">{value(e.unit, e.low)} to {value(e.unit, e.high)}</td>
          </tr>
        {/each}
      </Ledger>
    {/if}
  </section>
{/if}
