<script lang="ts">
  import { Check, Send, TriangleAlert, Undo2 } from '@lucide/svelte'
  import { plural, prose } from '../../lib/format'
  import type { StepView } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { newKey, waiting } from '../../state/waiting.svelte'

  interface Props {
    call: CallState
    step: StepView
    next: boolean
    ticked: boolean
  }
  let { call, step, next, ticked }: Props = $props()
  let found = $state('')
  let differs = $state(false)
  const seconds = (s: number) => (s < 120 ? `${s} s` : `${Math.round(s / 60)} min`)
  const MARK = { open: '○', done: '●', differs: '◆', 'taken back': '○' }

  function tick(back: boolean) {
    const body = { found: back || !differs ? '' : found, back, key: newKey() }
    void waiting.add(call.id, { kind: 'tick', stepId: step.id, body }, (taken) => call.take(taken))
    differs = false
    found = ''
  }
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
    <span class="text-sm text-soft">{step.state}{ticked ? ', ticked, waiting to be sent' : ''}</span>
  </div>
  <ul class="my-1 text-lg">
    {#each step.lines as line (line)}<li>{prose(line)}</li>{/each}
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
  {#if !ticked}
    <div class="mt-2 flex flex-wrap items-center gap-2 no-print">
      {#if step.may_act}
        <button class="button main" disabled={call.busy} onclick={() => tick(false)}
          ><Check size={18} />{differs ? 'Done, but it differs' : 'Done by hand, read back as wanted'}</button
        >
        <label class="flex min-h-10 items-center gap-1"
          ><input type="checkbox" class="size-5" bind:checked={differs} />it reads back otherwise</label
        >
        {#if differs}<input
            class="field grow"
            aria-label="What was read back"
            maxlength="2000"
            bind:value={found}
            placeholder="what the box says now"
          />{/if}
        {#if call.practice}<button
            class="button"
            disabled={call.busy}
            onclick={() => call.sendStep(step.id, false)}><Send size={18} />Send to the box</button
          >{/if}
      {:else if step.may_take_back}
        <button class="button slim" disabled={call.busy} onclick={() => tick(true)}
          ><Undo2 size={15} />Taken back by hand</button
        >
        {#if call.practice}<button
            class="button slim"
            disabled={call.busy}
            onclick={() => call.sendStep(step.id, true)}><Undo2 size={15} />Take back on the box</button
          >{/if}
      {/if}
    </div>
  {/if}
</li>
