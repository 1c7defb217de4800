<script lang="ts">
  import { ChevronDown, Ruler } from '@lucide/svelte'
  import SettingMarks from '../../draw/SettingMarks.svelte'
  import { fixed, headroom, percent, prose, sentence } from '../../lib/format'
  import type { Plan, Settings } from '../../lib/types'
  import Ledger from '../../parts/Ledger.svelte'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'

  /** What else could be set, beside the plan in the model; and what to measure before deciding. */
  let { state: call, plan }: { state: CallState; plan: Plan } = $props()
  let all = $state(false)
  /** The row whose reason and channels are shown. */
  let looked = $state(-1)
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
  const most = $derived(Math.max(...rows.map((r) => r.evaluation.problems)))
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
  <Ledger
    label="Settings side by side"
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
      {@const more = looked === i}
      <tr class:bg-wash={row.kind === 'plan'} class:font-bold={row.kind === 'plan'}>
        <td class="p-0!"
          ><button
            class="flex min-h-9 w-full items-center max-sm:min-h-11 gap-1 px-2 text-left"
            aria-expanded={more}
            onclick={() => (looked = more ? -1 : i)}
            ><ChevronDown
              size={15}
              class="shrink-0 {more ? 'rotate-180' : ''}"
              aria-hidden="true"
            />{row.name}</button
          ></td
        >
        {#each ['problems', 'headroom', 'worst Zigbee'] as const as figure (figure)}
          <td class="number"><SettingMarks {figure} evaluation={row.evaluation} {most} /></td>
        {/each}
        <td class="number">{row.evaluation.changes}</td>
        <td class="number"><button class="button slim" onclick={() => call.try(row.settings)}>Try</button></td
        >
      </tr>
      {#if more}
        <tr
          ><td colspan="6" class="text-soft"
            >{row.kind === 'now' || row.kind === 'plan' ? '' : `${row.kind}: `}{prose(row.reason)}<br
            />{chooses(row.settings ?? call.job.settings)}</td
          ></tr
        >
      {/if}
    {/each}
  </Ledger>
  <p class="mt-2 text-xs text-soft max-md:hidden">
    Ruled at a headroom of 1× and a delivery of {percent(rules.offered.wanted_delivery)}; no headroom above {headroom(
      rules.offered.most_counted_headroom,
    )} counts.
  </p>
  {#if runnersUp.length}
    <button class="button slim mt-2" aria-expanded={all} onclick={() => (all = !all)}
      >{all ? 'Hide' : 'Show'} the next best for each setting</button
    >
  {/if}
</section>
