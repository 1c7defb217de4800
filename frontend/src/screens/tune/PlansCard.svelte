<script lang="ts">
  import { BookmarkPlus, X } from '@lucide/svelte'
  import { api, ask } from '../../lib/api'
  import { dbm, delivery, headroom, when } from '../../lib/format'
  import type { ComparedPlan } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import Field from '../../parts/Field.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  let { state: call }: { state: CallState } = $props()
  let name = $state('')
  const kept = new Resource<ComparedPlan[]>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/plans', { params: { path: { call_id: call.id } }, signal }))
  })
  const plans = $derived(kept.value ?? [])
  const onTrial = $derived(call.trial !== null || Object.keys(call.stands).length > 0)
  async function keep(event: SubmitEvent) {
    event.preventDefault()
    if (await call.keepPlan(name)) name = ''
  }
  const tryIt = (plan: ComparedPlan) =>
    call.tryPlan(plan.settings, Object.fromEntries(plan.stands.map((s) => [s.node_id, s.stand])))
  const drop = (id: string, label: string) =>
    call.change(
      () =>
        api.DELETE('/api/calls/{call_id}/plans/{plan_id}', {
          params: { path: { call_id: call.id, plan_id: id } },
        }),
      `removed ${label}`,
    )
</script>

<article class="page" aria-label="Kept plans">
  <h3 class="mb-1">Plans kept</h3>
  <form class="mb-2 flex flex-wrap items-end gap-2" onsubmit={keep}>
    <Field label="Keep the trial settings as"
      ><input
        class="field text-base text-ink"
        bind:value={name}
        required
        maxlength="80"
        disabled={!onTrial}
      /></Field
    >
    <button class="button" disabled={!onTrial || call.busy}><BookmarkPlus size={16} />Keep</button>
    {#if !onTrial}<span class="pb-2 text-sm text-soft">No settings are on trial.</span>{/if}
  </form>
  {#if plans.length > 1}
    <Ledger
      heads={[
        ['Rank', 'figure'],
        'Plan',
        ['Problems', 'figure'],
        ['Headroom', 'figure'],
        ['Weakest spot', 'figure'],
        ['Worst Zigbee', 'figure'],
        ['Changes', 'figure'],
        '',
      ]}
    >
      {#each plans as plan (plan.plan_id ?? '')}
        {@const e = plan.evaluation}
        <tr class:font-bold={plan.rank === 1}>
          <td class="number">{plan.rank ?? '–'}</td>
          <td
            >{plan.name}
            <span class="block text-xs font-normal text-soft"
              >{plan.stale || (plan.kept_at ? when(plan.kept_at) : 'the present setting')}{plan.stands.length
                ? '; moves nodes'
                : ''}</span
            ></td
          >
          <td class="number">{e?.problems ?? '–'}</td>
          <td class="number">{headroom(e?.headroom)}</td>
          <td class="number">{dbm(e?.weakest_spot_rssi_dbm)}</td>
          <td class="number">{delivery(e?.worst_zigbee_delivery)}</td>
          <td class="number">{plan.changes}</td>
          <td class="number whitespace-nowrap">
            {#if plan.plan_id}
              <button class="button slim" disabled={!e} onclick={() => tryIt(plan)}>Try</button>
              <button
                class="button slim"
                aria-label="Forget {plan.name}"
                onclick={() => drop(plan.plan_id ?? '', plan.name)}><X size={14} /></button
              >
            {/if}
          </td>
        </tr>
      {/each}
    </Ledger>
  {/if}
</article>
