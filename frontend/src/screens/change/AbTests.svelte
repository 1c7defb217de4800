<script lang="ts">
  import { FlaskConical, Play, X } from '@lucide/svelte'
  import TrialDrawing from '../../draw/TrialDrawing.svelte'
  import { api, ask } from '../../lib/api'
  import { fixed, percent, plural, prose, sentence, signed, when } from '../../lib/format'
  import type { NewTrial, AbTestPlan, AbTestView } from '../../lib/types'
  import Cautions from '../../parts/Cautions.svelte'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'

  let { call }: { call: CallState } = $props()
  const answer = new Resource<AbTestView[]>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/ab-tests', { params: { path: { call_id: call.id } }, signal }))
  })
  const views = $derived(answer.value ?? [])
  const boxes = new Resource<string[]>((signal) => {
    void call.call.revision
    void call.busy
    return ask(api.GET('/api/calls/{call_id}/boxes', { params: { path: { call_id: call.id } }, signal }))
  })
  let name = $state('')
  let byHand = $state(false)
  let aName = $state('as it is now')
  let bName = $state('')
  let measure = $state<NewTrial['measure']>('throughput down')
  let placeId = $state('')
  let picked = $state<number | null>(null)
  const worth = $derived(picked ?? rules.offered.worth_fraction)
  let values = $state('')
  const hand = $derived(byHand || !call.trial)
  const body = $derived<NewTrial>({
    name: name || 'A/B test',
    measure,
    a_name: hand ? aName || 'A' : 'current settings',
    b_name: hand ? bName || 'B' : 'what is on trial',
    b_settings: hand ? null : call.trial,
    place_id: placeId || call.job.places[0]?.id || null,
    worth_fraction: worth,
  })
  let refused = $state('')
  const plan = new Resource<AbTestPlan | null>(
    (signal) =>
      // A page that has just been opened does not know yet what the core offers.
      call.job.places.length && call.job.nodes.length && Number.isFinite(worth)
        ? ask(
            api.POST('/api/calls/{call_id}/ab-tests/plan', {
              params: { path: { call_id: call.id } },
              body,
              signal,
            }),
          )
        : Promise.resolve(null),
    (error) => (refused = (error as Error).message),
  )
  const path = (ab_test_id: string) => ({ params: { path: { call_id: call.id, ab_test_id } } })
  async function add(event: SubmitEvent) {
    event.preventDefault()
    const wanted = body
    if (await call.planTrial(wanted)) name = ''
  }
  const turn = (view: AbTestView, read: number[]) =>
    call.change(
      () =>
        api.POST('/api/calls/{call_id}/ab-tests/{ab_test_id}/runs', {
          ...path(view.ab_test.id),
          body: { arm: view.next_arm ?? 'A', values: read },
        }),
      `turn ${view.turn + 1}`,
    )
  /** A turn was kept that this view does not know yet: whose turn it is now is about to be shown. */
  const behind = (view: AbTestView) =>
    view.turn !== call.job.ab_tests.find((t) => t.id === view.ab_test.id)?.arm_runs.length
  async function typed(event: SubmitEvent, view: AbTestView) {
    event.preventDefault()
    const read = values.split(/[\s;]+/).map((v) => Number(v.replace(',', '.').replace('−', '-')))
    if (read.length && read.every(Number.isFinite) && (await turn(view, read))) values = ''
  }
  const forget = (view: AbTestView) =>
    call.change(
      () => api.DELETE('/api/calls/{call_id}/ab-tests/{ab_test_id}', path(view.ab_test.id)),
      `removed ${view.ab_test.name}`,
    )
  const times = (value: number | null) => (value === null ? '–' : `${fixed(value, 2)}×`)
  const where = (id: string | null) => call.job.places.find((p) => p.id === id)?.name
  const armName = (view: AbTestView, arm: 'A' | 'B') =>
    arm === 'A' ? view.ab_test.a.name : view.ab_test.b.name
</script>

<section class="page mt-4" aria-label="A/B tests">
  <h2>A/B tests: where only trying tells</h2>
  <p class="mb-2 text-sm text-soft">
    Both settings are measured in turn (ABBA), so that a drift over the evening affects both alike. Look at
    the result after every block: the chance of a difference that is not there stays below 1 in 20.
  </p>
  <Cautions step="trials" />
  {#if boxes.value?.length && !call.busy}
    <div class="mb-3 border-2 border-(--accent) p-3" role="alert">
      <p><strong>The nodes are not set as the call says.</strong> An A/B test was cut off:</p>
      <ul class="list-disc pl-5">
        {#each boxes.value as line, i (i)}<li>{prose(line)}</li>{/each}
      </ul>
      <button class="button main no-print mt-2" onclick={() => call.setBoxesBack()}>Set the nodes back</button
      >
    </div>
  {/if}
  {#each views as view (view.ab_test.id)}
    <article class="mb-3 border-t border-(--rule) pt-2" data-ab-test={view.ab_test.id}>
      <div class="flex flex-wrap items-baseline gap-x-3">
        <h3 class="grow">{view.ab_test.name}</h3>
        <span class="text-sm text-soft"
          >{view.ab_test.measure}{where(view.ab_test.place_id) ? ` at ${where(view.ab_test.place_id)}` : ''}; {view.less_is_better
            ? 'less'
            : 'more'} is better{view.unit === 'dBm'
            ? ''
            : `; worth ${percent(view.ab_test.worth_fraction)}`}</span
        >
        <button
          class="button slim no-print"
          aria-label="Forget the A/B test {view.ab_test.name}"
          disabled={call.busy}
          onclick={() => forget(view)}><X size={14} /></button
        >
      </div>
      <p class="text-sm">A: {view.ab_test.a.name}. B: {view.ab_test.b.name}.</p>
      <TrialDrawing {view} />
      {#if view.result.ratio !== null}
        <p class="my-1 flex flex-wrap items-baseline gap-x-4">
          <span class="figure text-2xl"
            >{view.result.in_db
              ? `${signed(view.result.in_db[0] ?? 0, 1)} dB`
              : times(view.result.ratio)}</span
          >
          <span class="figure"
            >{view.result.low === null
              ? 'interval still open'
              : view.result.in_db
                ? `${signed(view.result.in_db[1] ?? 0, 1)} to ${signed(view.result.in_db[2] ?? 0, 1)} dB`
                : `${times(view.result.low)} to ${times(view.result.high)}`}</span
          >
          <span>real: <strong class="figure">{percent(view.result.chance_real, 1)}</strong></span>
          <strong class:text-accent={view.result.done}>{prose(view.result.advice)}</strong>
        </p>
      {/if}
      <p class="text-sm">{sentence(view.result.text)}.</p>
      {#if view.next_arm}
        <p class="text-sm text-soft">
          {plural(view.turn, 'turn')} done. {sentence(view.plan.text)}.
        </p>
        <div class="no-print mt-1 flex flex-wrap items-end gap-2">
          {#if view.by_hand || !call.practice}
            <strong class="text-lg">Now set {view.next_arm}: {armName(view, view.next_arm)}</strong>
            {#if call.practice}<button class="button main" disabled={call.busy} onclick={() => turn(view, [])}
                ><Play size={16} />It is set: measure turn {view.turn + 1}</button
              >{/if}
            {#if view.test_at}<button class="button" onclick={() => turn(view, view.test_values)}
                >Take the link test of {when(view.test_at).split(', ')[1]}: {view.test_values
                  .map((v) => fixed(v, 1))
                  .join(', ')}
                {view.unit}</button
              >{:else if view.ab_test.place_id}<a class="underline" href="#/call/{call.id}/walk"
                >link test under Walk</a
              >{/if}
            <form class="flex items-end gap-2" onsubmit={(e) => typed(e, view)}>
              <Field label="or what was read, one or more values"
                ><input
                  class="field w-48 text-base text-ink"
                  bind:value={values}
                  inputmode="decimal"
                  placeholder="41 38 44"
                /></Field
              >
              <button class="button" disabled={!values.trim() || behind(view)}>Write down</button>
            </form>
          {:else}
            {#if call.practice}<button
                class="button main"
                disabled={call.busy}
                onclick={() => call.runTrial(view.ab_test.id)}
                ><Play size={16} />{view.turn ? 'Go on' : 'Run it'} on the nodes</button
              >{/if}
          {/if}
        </div>
      {:else if view.result.advice === 'keep B' && view.ab_test.b.settings}
        <button class="button main no-print mt-1" onclick={() => call.try(view.ab_test.b.settings)}
          >Put B on trial to make the sheet</button
        >
      {/if}
    </article>
  {/each}
  {#if call.job.places.length && call.job.nodes.length}
    <form class="no-print grid gap-2 border-t border-(--rule) pt-3" onsubmit={add}>
      <div class="flex flex-wrap items-end gap-2">
        <Field label="Test"
          ><input
            class="field text-base text-ink"
            bind:value={name}
            required
            maxlength="80"
            placeholder="antenna up or over"
          /></Field
        >
        {#if call.trial}<label class="flex min-h-10 items-center gap-1"
            ><input type="checkbox" class="size-5" bind:checked={byHand} />set by hand</label
          >{/if}
        {#if hand}
          <Field label="A is"
            ><input class="field text-base text-ink" bind:value={aName} required maxlength="80" /></Field
          >
          <Field label="B is"
            ><input
              class="field text-base text-ink"
              bind:value={bName}
              required
              maxlength="80"
              placeholder="one antenna tilted over"
            /></Field
          >
        {:else}<span class="pb-2">A: current settings. B: trial settings.</span>{/if}
        <Field label="Measured by"
          ><select class="field text-base text-ink" bind:value={measure}>
            {#each rules.offered.ab_measures.filter((m) => m !== 'Zigbee reports lost' || call.job.zigbee) as m (m)}<option
                value={m}>{m}</option
              >{/each}
          </select></Field
        >
        {#if measure !== 'Zigbee reports lost'}
          <Field label="Measured at"
            ><Picker
              class="field text-base text-ink"
              value={placeId || call.job.places[0]?.id}
              onchange={(e) => (placeId = e.currentTarget.value)}
              options={call.job.places.map((p) => [p.id, p.name] as const)}
            /></Field
          >
        {/if}
        {#if measure !== 'level'}<Field label="Difference that counts"
            ><Picker
              class="field text-base text-ink"
              value={worth}
              onchange={(e) => (picked = Number(e.currentTarget.value))}
              options={rules.offered.worth_fractions.map((w) => [w, percent(w)] as const)}
            /></Field
          >{/if}
        <button class="button" disabled={call.busy}><FlaskConical size={16} />Plan the A/B test</button>
      </div>
      {#if refused && !plan.value}<p class="text-sm text-accent">{refused}</p>{:else if plan.value}<p
          class="text-sm"
          data-plan
        >
          {sentence(plan.value.text)}.
        </p>{/if}
    </form>
  {/if}
</section>
