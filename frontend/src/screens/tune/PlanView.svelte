<script lang="ts">
  import { Ruler } from '@lucide/svelte'
  import CompareDrawing from '../../draw/CompareDrawing.svelte'
  import { delivery, headroom, percent, plural, sentence } from '../../lib/format'
  import { namesText } from '../../lib/settings'
  import type { Plan, RadioSetting, Settings } from '../../lib/types'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'
  import OutlookView from './OutlookView.svelte'
  import Placed from './Placed.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  let { state: call, plan }: { state: CallState; plan: Plan } = $props()
  let all = $state(false)
  /** The middle over the worlds, to the half. */
  const about = (count: number) => `about ${(Math.round(count * 2) / 2).toLocaleString()}`
  const inWords = (count: number) => `About ${plural(Math.round(count * 2) / 2, 'problem')}`
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
  const text = (s: RadioSetting) =>
    s.enabled === false ? 'off' : `${s.channel} at ${s.width_mhz} MHz, ${s.eirp_dbm} dBm`
  const nodeName = (id: string) => call.job.nodes.find((n) => n.id === id)?.name ?? id
  const changes = $derived([
    ...plan.settings.radios.flatMap((after) => {
      const before = call.job.settings.radios.find((s) => s.radio_id === after.radio_id)
      if (!before || text(before) === text(after)) return []
      return [{ id: after.radio_id, before: text(before), after: text(after) }]
    }),
    ...(JSON.stringify(plan.settings.ssid_plan) === JSON.stringify(call.job.settings.ssid_plan)
      ? []
      : [
          {
            id: 'names',
            before: namesText(call.job.settings.ssid_plan),
            after: namesText(plan.settings.ssid_plan),
          },
        ]),
    ...(plan.settings.link_bands ?? []).map((link) => ({
      id: `link of ${nodeName(link.node_id)}`,
      before: call.job.nodes.find((n) => n.id === link.node_id)?.uplink?.band ?? '',
      after: [link.band, link.to_radio_id, link.radio_id].filter(Boolean).join(', '),
    })),
  ])
  const unchanged = $derived(plan.evaluation.changes === 0)
  const outlook = $derived(plan.outlook)
  const expected = $derived(outlook?.figures.find((f) => f.name === 'problems'))
  const modelBest = $derived(plan.alternatives.find((a) => a.kind === 'as measured'))
</script>

<section class="page mb-4 border-2 border-(--ink)" aria-label="The plan">
  <h2>
    {#if !call.call.air_known}A plan by the kit alone.
    {:else if unchanged}Leave it as it is: nothing tried is likely to help.
    {:else if expected}{inWords(expected.now.middle)} now, {about(expected.then.middle)} to come, with {plural(
        plan.evaluation.changes,
        'change',
      )}.
    {:else}{plural(plan.evaluation.changes, 'change')}; {plural(plan.evaluation.problems, 'problem')} left.{/if}
  </h2>
  <ul class="my-2 grid gap-x-6 sm:grid-cols-2">
    {#each changes as change (change.id)}
      <li><strong>{change.id}</strong>: {change.before}, then <strong>{change.after}</strong></li>
    {/each}
    {#if plan.settings.zigbee_channel !== call.job.settings.zigbee_channel}
      <li>
        <strong>Zigbee hub</strong>: {call.job.settings.zigbee_channel}, then
        <strong>{plan.settings.zigbee_channel}</strong>; some devices may need pairing again
      </li>
    {/if}
  </ul>
  {#if !call.call.air_known}<p class="mb-3 border-l-4 border-(--accent) pl-2">
      <strong>Nobody has scanned the air here yet:</strong> neighbours are not in this plan, so it proves
      nothing.
      <a class="underline" href="#/call/{call.id}/listen">Scan first.</a>
    </p>{/if}
  {#if outlook}<OutlookView state={call} {outlook} />{/if}
  <p class="mb-3">
    {#if !call.call.air_known}By the kit alone, with no neighbour known.
    {:else if modelBest}<strong
        >{plan.model_proven ? 'Proven best in the model' : 'Best found in the model'}</strong
      >{plan.choices > 1 ? ` among ${plan.choices} choices of power, switches, links and steering` : ''}:
      another setting, in the table below; passed over, since {modelBest.reason}.
    {:else if plan.proven && plan.choices > 1}<strong>Proven</strong> in the model among {plan.choices} choices
      of power, switches, links and steering: under none of them is any lawful setting of channels and widths better.
    {:else if plan.proven}<strong>Proven</strong> in the model: no lawful setting of channels and widths at these
      powers is better under this policy.
    {:else}<strong>Not proven</strong> in the time given: in the model at best {plan.bound.problems} problems and
      {headroom(plan.bound.headroom)} headroom could still be found.{/if}
    <span class="text-soft">{plan.seconds.toFixed(2)} s, {plan.steps} steps.</span>
  </p>
  {#if call.placed}<Placed state={call} placed={call.placed} />{/if}
  <div class="mb-2 flex flex-wrap items-center gap-3">
    <button class="button slim" disabled={call.busy} onclick={() => call.measureNext(plan)}
      ><Ruler size={15} />What to measure next</button
    >
    {#if call.measure}<span>{sentence(call.measure.text)}.</span>{/if}
  </div>
  {#if call.measure && (call.measure.measurements[0]?.changes_plan ?? 0) > 0}
    <Ledger
      label="What to measure next"
      class="mb-3 text-sm"
      heads={['Measure', ['Would change the plan', 'figure'], ['Spares problems', 'figure'], 'Why']}
    >
      {#each call.measure.measurements.filter((m) => m.changes_plan > 0).slice(0, 5) as m (m.what)}
        <tr
          ><td>{m.what}</td><td class="number">{percent(m.changes_plan)}</td><td class="number"
            >{m.spares_problems.toFixed(1)}</td
          ><td>{m.why}</td></tr
        >
      {/each}
    </Ledger>
  {/if}
  <h3>In the model, as measured</h3>
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
    {#each rows as row (row.name + row.reason)}
      <tr class:font-bold={row.name === 'the plan'}>
        <td
          >{row.name}
          <span class="block text-xs font-normal text-soft max-sm:hidden"
            >{row.kind === 'now' || row.kind === 'plan' ? '' : `${row.kind}: `}{row.reason}<br />{chooses(
              row.settings ?? call.job.settings,
            )}</span
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
