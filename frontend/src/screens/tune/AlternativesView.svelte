<script lang="ts">
  import { Ruler } from '@lucide/svelte'
  import CompareDrawing from '../../draw/CompareDrawing.svelte'
  import { delivery, fixed, headroom, percent, prose, sentence } from '../../lib/format'
  import type { Plan, Settings } from '../../lib/types'
  import Ledger from '../../parts/Ledger.svelte'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'

  /** What else could be set, beside the plan in the model; and what to measure before deciding. */
  let { state: call, plan }: { state: CallState; plan: Plan } = $props()
  let all = $state(false)
  const runnersUp = $derived(plan.alternatives.filter((a) => a.kind === 'next best'))
  const rows = $derived([
    {
      name: 'current settings',
      kind: 'now',
      reason: 'the present setting',
      settings: null,
      evaluation: plan.now,
    },
    {
      kind: 'plan',
      name: 'the plan',
      reason: `policy: ${plan.channel_plan}`,
      settings: plan.settings,
      evaluation: plan.evaluation,
    },
    ...plan.alternatives.filter((a) => !runnersUp.includes(a)),
    ...(all ? runnersUp : []),
  ])
  /** What a setting chooses, band by band: channels, and widths where they are not 20 MHz. */
  const chooses = (settings: Settings) =>
    [
      ...rules.offered.bands.flatMap((band) => {
        const ids = call.job.nodes.flatMap((n) => n.radios.filter((r) => r.band === band).map((r) => r.id))
        const found = settings.radios.filter((s) => ids.includes(s.radio_id))
        const each = found.map((s) => `${s.channel}${s.width_mhz > 20 ? `/${s.width_mhz}` : ''}`)
        return each.length ? [`${band}: ${each.join(', ')}`] : []
      }),
      ...(settings.zigbee_channel ? [`Zigbee: ${settings.zigbee_channel}`] : []),
    ].join('; ')
</script>

<section class="page" aria-label="Alternatives">
  <div class="mb-2 flex flex-wrap items-center gap-3">
    <h3 class="grow">Alternatives, in the model as measured</h3>
    <button class="button slim" disabled={call.busy} onclick={() => call.measureNext(plan)}
      ><Ruler size={15} />What to measure next</button
    >
  </div>
  {#if call.measure}<p class="mb-2">{sentence(call.measure.text)}.</p>{/if}
  {#if call.measure && (call.measure.measurements[0]?.changes_plan ?? 0) > 0}
    <Ledger
      label="What to measure next"
      class="mb-3 text-sm"
      heads={['Measure', ['Would change the plan', 'figure'], ['Spares problems', 'figure'], 'Why']}
    >
      {#each call.measure.measurements.filter((m) => m.changes_plan > 0).slice(0, 5) as m, i (i)}
        <tr
          ><td>{prose(m.what)}</td><td class="number">{percent(m.changes_plan)}</td><td class="number"
            >{fixed(m.spares_problems, 1)}</td
          ><td>{prose(m.why)}</td></tr
        >
      {/each}
    </Ledger>
  {/if}
  <CompareDrawing rows={rows.filter((r) => r.kind !== 'next best')} />
  <Ledger
    heads={[
      'Setting',
      ['Problems', 'figure'],
      ['Headroom', 'figure'],
      ['Worst Zigbee', 'figure'],
      ['Changes', 'figure'],
      '',
    ]}
  >
    {#each rows as row, i (i)}
      <tr class:font-bold={row.name === 'the plan'}>
        <td
          >{row.name}
          <span class="block text-xs font-normal text-soft max-sm:hidden"
            >{row.kind === 'now' || row.kind === 'plan' ? '' : `${row.kind}: `}{prose(row.reason)}<br
            />{chooses(row.settings ?? call.job.settings)}</span
          ></td
        >
        <td class="number">{row.evaluation.problems}</td>
        <td class="number">{headroom(row.evaluation.headroom)}</td>
        <td class="number">{delivery(row.evaluation.worst_zigbee_delivery)}</td>
        <td class="number">{row.evaluation.changes}</td>
        <td class="number"><button class="button slim" onclick={() => call.try(row.settings)}>Try</button></td
        >
      </tr>
    {/each}
  </Ledger>
  {#if runnersUp.length}
    <button class="button slim mt-2" aria-expanded={all} onclick={() => (all = !all)}
      >{all ? 'Hide' : 'Show'} the next best for each setting</button
    >
  {/if}
</section>
