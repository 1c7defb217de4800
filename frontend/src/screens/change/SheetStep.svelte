<script lang="ts">
  import { Check, Send, TriangleAlert, Undo2 } from '@lucide/svelte'
  import { api } from '../../lib/api'
  import { plural, prose, sentence } from '../../lib/format'
  import type { RadioSetting, StepView } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { rules } from '../../state/rules.svelte'
  import { newKey, waiting } from '../../state/waiting.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'

  interface Props {
    call: CallState
    step: StepView
    next: boolean
    ticked: boolean
    /** Whether a Zigbee coordinator on this computer's port can move the hub's network. */
    coordinator: boolean
  }
  let { call, step, next, ticked, coordinator }: Props = $props()
  let moving = $state(false)
  async function moveHub(channel: number) {
    moving = true
    const path = { params: { path: { call_id: call.id } } }
    await call.change(
      () => api.POST('/api/calls/{call_id}/coordinator/move', { ...path, body: { channel } }),
      `the hub was set to channel ${channel}`,
    )
    moving = false
  }
  let differs = $state(false)
  /** What is read off the page, begun from what was asked for. */
  let radios = $state<RadioSetting[]>([])
  let steered = $state<number | null>(null)
  let channel = $state<number | null>(null)
  const seconds = (s: number) => (s < 120 ? `${s} s` : `${Math.round(s / 60)} min`)
  const MARK = { open: '○', done: '●', differs: '◆', 'taken back': '○' }

  function readOtherwise(on: boolean) {
    differs = on
    radios = step.radios.map((r) => ({ ...r }))
    steered = step.ssid_plan?.high_band_from_dbm ?? null
    channel = step.zigbee_channel
  }
  /** Done: as read back (as wanted, or otherwise), or set with nobody having read it. */
  function tick(back: boolean, read: boolean) {
    const read_back = {
      radios: differs
        ? radios.map((r) => ({ ...r, centre_mhz: same(r) ? r.centre_mhz : null }))
        : step.radios,
      ssid_plan:
        step.ssid_plan && differs ? { ...step.ssid_plan, high_band_from_dbm: steered } : step.ssid_plan,
      zigbee_channel: differs ? channel : step.zigbee_channel,
    }
    const body = { read_back: read && !back ? read_back : null, found: '', back, key: newKey() }
    void waiting.add(call.id, { kind: 'tick', stepId: step.id, body }, (taken) => call.take(taken))
    differs = false
  }
  const wantedOf = (id: string) => step.radios.find((r) => r.radio_id === id)
  const same = (r: RadioSetting) => {
    const wanted = wantedOf(r.radio_id)
    return wanted?.channel === r.channel && wanted?.width_mhz === r.width_mhz
  }
  const widthsOf = (id: string) =>
    call.job.nodes.flatMap((n) => n.radios).find((r) => r.id === id)?.widths_mhz ?? []
</script>

<li
  class="page"
  class:border-l-8={next}
  class:border-l-(--accent)={next}
  data-step={step.id}
  aria-current={next ? 'step' : undefined}
>
  <div class="flex flex-wrap items-baseline gap-x-3">
    <span class="figure text-lg" aria-hidden="true">{MARK[step.state]}</span>
    <h3 class="grow">{step.number}. {step.title}</h3>
    <span class="text-sm text-soft"
      >{step.state}{step.state === 'done' || step.state === 'differs'
        ? step.read_back
          ? ', read back'
          : ', not read back'
        : ''}{ticked ? ', ticked, waiting to be sent' : ''}</span
    >
  </div>
  <ul class="my-1 text-lg">
    {#each step.lines as line, i (i)}<li>{prose(line)}</li>{/each}
  </ul>
  {#if step.found}<p class="font-semibold text-accent">Read back otherwise: {prose(step.found)}.</p>{/if}
  {#if step.state !== 'done'}
    <dl class="grid gap-x-4 gap-y-1 text-sm sm:grid-cols-[8rem_1fr]">
      <dt class="text-soft">Where</dt>
      <dd>{step.where}</dd>
      <dt class="text-soft">Wait</dt>
      <dd>
        <strong>{seconds(step.wait_s)}</strong>{step.away_s > step.wait_s
          ? `; without service for up to ${seconds(step.away_s)}`
          : ''}
      </dd>
      <dt class="text-soft">Drops off</dt>
      <dd>
        {step.drops.length ? `${plural(step.drops.length, 'device')}: ${step.drops.join(', ')}` : 'nobody'}
      </dd>
      <dt class="text-soft">Check</dt>
      <dd>{step.check}</dd>
      <dt class="text-soft">To go back</dt>
      <dd>{prose(step.back)}</dd>
    </dl>
  {/if}
  {#if step.caution && step.state !== 'done'}<p class="mt-1 flex gap-2 text-sm">
      <TriangleAlert size={16} class="mt-0.5 shrink-0" /><span
        ><strong>Ask first:</strong> {step.caution.replace(/^ask first /, '')}.</span
      >
    </p>{/if}
  {#if step.note && step.state !== 'done'}<p class="mt-1 text-sm">
      {sentence(step.note)}.
    </p>{/if}
  {#if !ticked && step.may_act && differs}
    <fieldset class="no-print mt-2 grid gap-2 border-t border-(--rule) pt-2">
      <legend class="text-sm text-soft">What its page shows now</legend>
      {#each radios as r (r.radio_id)}
        <div class="flex flex-wrap items-end gap-2">
          <span class="min-w-32 self-center font-semibold">{r.radio_id}</span>
          <Field label="Channel"
            ><input
              class="field w-20 text-ink"
              type="number"
              min="1"
              max="233"
              bind:value={r.channel}
            /></Field
          >
          <Field label="Width, MHz"
            ><Picker
              class="field w-24 text-ink"
              bind:value={r.width_mhz}
              options={widthsOf(r.radio_id)}
            /></Field
          >
          <Field label="Power, dBm"
            ><input class="field w-20 text-ink" type="number" step="0.5" bind:value={r.eirp_dbm} /></Field
          >
          <label class="flex min-h-10 items-center gap-1"
            ><input type="checkbox" class="size-5" bind:checked={r.enabled} />on</label
          >
        </div>
      {/each}
      {#if step.ssid_plan}
        <label class="grid w-64 text-sm text-soft"
          >Steers from, dBm (empty: steering off)<input
            class="field text-ink"
            type="number"
            bind:value={steered}
          /></label
        >
      {/if}
      {#if step.zigbee_channel !== null}
        <label class="grid w-40 text-sm text-soft"
          >Zigbee channel<input
            class="field text-ink"
            type="number"
            min={rules.zigbeeLow}
            max={rules.zigbeeHigh}
            bind:value={channel}
          /></label
        >
      {/if}
    </fieldset>
  {/if}
  {#if !ticked}
    <div class="mt-2 flex flex-wrap items-center gap-2 no-print">
      {#if step.may_act}
        <button class="button main" disabled={call.busy} onclick={() => tick(false, true)}
          ><Check size={18} />{differs ? 'Done, but it differs' : 'Done by hand, read back as wanted'}</button
        >
        <label class="flex min-h-10 items-center gap-1"
          ><input
            type="checkbox"
            class="size-5"
            checked={differs}
            onchange={(e) => readOtherwise(e.currentTarget.checked)}
          />it reads back otherwise</label
        >
        <button class="button slim" disabled={call.busy} onclick={() => tick(false, false)}
          >Done, not read back</button
        >
        {#if coordinator && step.zigbee_channel !== null}<button
            class="button"
            disabled={moving}
            onclick={() => moveHub(step.zigbee_channel!)}
            ><Send size={18} />{moving
              ? 'The network moves, some minutes…'
              : 'Move it by the coordinator'}</button
          >{/if}
        {#if call.practice}<button
            class="button"
            disabled={call.busy}
            onclick={() => call.sendStep(step.id, false)}><Send size={18} />Apply to the node</button
          >{/if}
      {:else if step.may_take_back}
        <button class="button slim" disabled={call.busy} onclick={() => tick(true, false)}
          ><Undo2 size={15} />Taken back by hand</button
        >
        {#if call.practice}<button
            class="button slim"
            disabled={call.busy}
            onclick={() => call.sendStep(step.id, true)}><Undo2 size={15} />Take back on the node</button
          >{/if}
      {/if}
    </div>
  {/if}
</li>
