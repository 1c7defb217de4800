<script lang="ts">
  import { api, ask } from '../../lib/api'
  import { fixed, headroom, plural, prose } from '../../lib/format'
  import { namesText, radioText } from '../../lib/settings'
  import type { Plan, SheetView } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import OutlookView from './OutlookView.svelte'
  import Placed from './Placed.svelte'

  let { state: call, plan }: { state: CallState; plan: Plan } = $props()
  /** The middle over the worlds, as the table below has it. */
  const about = (count: number) => `about ${fixed(count)}`
  const inWords = (count: number) => `About ${plural(Math.round(count), 'problem')}`
  const nodeName = (id: string) => call.job.nodes.find((n) => n.id === id)?.name ?? id
  const changes = $derived([
    ...plan.settings.radios.flatMap((after) => {
      const before = call.job.settings.radios.find((s) => s.radio_id === after.radio_id)
      if (!before || radioText(before) === radioText(after)) return []
      return [{ id: after.radio_id, before: radioText(before), after: radioText(after) }]
    }),
    ...(JSON.stringify(plan.settings.ssid_plan) === JSON.stringify(call.job.settings.ssid_plan)
      ? []
      : [
          {
            id: 'SSIDs',
            before: namesText(call.job.settings.ssid_plan),
            after: namesText(plan.settings.ssid_plan),
          },
        ]),
    ...(plan.settings.link_bands ?? []).map((link) => ({
      id: `link of ${nodeName(link.node_id)}`,
      before: call.job.nodes.find((n) => n.id === link.node_id)?.uplink?.band ?? '',
      after: [
        link.band,
        link.to_node_id ? `to ${nodeName(link.to_node_id)}` : null,
        link.to_radio_id,
        link.radio_id,
      ]
        .filter(Boolean)
        .join(', '),
    })),
  ])
  const unchanged = $derived(plan.evaluation.changes === 0)
  const outlook = $derived(plan.outlook)
  const expected = $derived(outlook?.figures.find((f) => f.name === 'problems'))
  /** Where nothing is wrong, headroom is what there is to gain. */
  const resting = $derived(
    expected && !Math.round(expected.now.middle) && !Math.round(expected.then.middle)
      ? outlook?.figures.find((f) => f.name === 'headroom')
      : undefined,
  )
  const preview = new Resource<SheetView>((signal) =>
    ask(
      api.POST('/api/calls/{call_id}/sheet-preview', {
        params: { path: { call_id: call.id } },
        body: { settings: plan.settings, stands: [] },
        signal,
      }),
    ),
  )
  const cost = $derived(preview.value)
  const modelBest = $derived(plan.alternatives.find((a) => a.kind === 'as measured'))
</script>

<section class="page mb-4 border-2 border-(--ink)" aria-label="The plan">
  <h2>
    {#if !call.call.air_known}A plan by the kit alone.
    {:else if unchanged}Leave it as it is: nothing tried is likely to help.
    {:else if expected && resting}No problem now and none to come; headroom {headroom(resting.now.middle)},
      then
      {headroom(resting.then.middle)}, with {plural(plan.evaluation.changes, 'change')}.
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
  {#if outlook}<OutlookView {outlook} />{/if}
  {#if cost && plan.evaluation.changes}
    <p class="mb-2">
      <strong>It costs</strong>
      {plural(cost.steps.length, 'step')}, about {plural(
        Math.max(1, Math.round(cost.total_s / 60)),
        'minute',
      )}{cost.away_s ? `, ${Math.max(1, Math.round(cost.away_s / 60))} of them without service` : ''}.
      {prose(cost.when.replace(/\.+$/, ''))}.
    </p>
  {/if}
  <p class="text-sm">
    {#if outlook}The figures at the top take every measurement at its word: {plural(
        plan.now.problems,
        'problem',
      )} now, {plan.evaluation.problems} then.{/if}
    {#if !call.call.air_known}By the kit alone, with no neighbour known.
    {:else if modelBest}<strong
        >{plan.model_proven ? 'Proven best in the model' : 'Best found in the model'}</strong
      >{plan.choices > 1 ? ` among ${plan.choices} choices of power, switches, links and steering` : ''}:
      another setting, under Alternatives; passed over, since {prose(modelBest.reason)}.
    {:else if plan.proven && plan.choices > 1}<strong>Proven</strong> in the model among {plan.choices} choices
      of power, switches, links and steering: under none of them is any lawful setting of channels and widths better.
    {:else if plan.proven}<strong>Proven</strong> in the model: no lawful setting of channels and widths at these
      powers is better under this policy.
    {:else}<strong>Not proven</strong> in the time given: in the model at best {plan.bound.problems} problems and
      {headroom(plan.bound.headroom)} headroom could still be found.{/if}
    <span class="text-soft">{fixed(plan.seconds, 2)} s, {plan.steps} steps.</span>
  </p>
  {#if call.placed}<Placed state={call} placed={call.placed} />{/if}
</section>
