<script lang="ts">
  import { ArrowLeft, Redo2, Undo2 } from '@lucide/svelte'
  import { api, ask } from '../lib/api'
  import { onKeys, typing } from '../lib/keys'
  import Cautions from '../parts/Cautions.svelte'
  import Progress from '../parts/Progress.svelte'
  import { CallState } from '../state/call.svelte'
  import { notices } from '../state/notices.svelte'
  import { goTo, STEPS, type Step } from '../state/route.svelte'
  import Ask from './ask/Ask.svelte'
  import Change from './change/Change.svelte'
  import Figures from './Figures.svelte'
  import HandOver from './handover/HandOver.svelte'
  import House from './house/House.svelte'
  import Kit from './kit/Kit.svelte'
  import Listen from './listen/Listen.svelte'
  import PhoneCard from './PhoneCard.svelte'
  import Prove from './prove/Prove.svelte'
  import StandingLine from './Standing.svelte'
  import Tune from './tune/Tune.svelte'
  import Walk from './walk/Walk.svelte'

  let { callId, step }: { callId: number; step: Step } = $props()
  let state = $state<CallState | null>(null)
  const names: Record<Step, string> = {
    ask: 'Ask',
    kit: 'Kit',
    house: 'House',
    walk: 'Walk',
    listen: 'Listen',
    tune: 'Tune',
    change: 'Change',
    prove: 'Prove',
    report: 'Report',
  }

  // Derived, so that going from step to step does not load the call again and lose what is on trial.
  const id = $derived(callId)

  $effect(() => {
    ask(api.GET('/api/calls/{call_id}', { params: { path: { call_id: id } } }))
      .then((call) => (state = new CallState(call)))
      .catch((error) => {
        notices.fail(error)
        goTo(null)
      })
  })

  // On a narrow screen the step that one is at is brought into sight.
  $effect(() => {
    void step
    void state
    document.querySelector('nav [aria-current]')?.scrollIntoView({ block: 'nearest', inline: 'center' })
  })

  const keys = onKeys({
    ...Object.fromEntries(STEPS.map((name, i) => [String(i + 1), () => goTo(callId, name)])),
    'ctrl+z': () => void state?.step(-1),
    'ctrl+y': () => void state?.step(1),
  })
</script>

<svelte:window
  onkeydown={(e) => {
    // Escape leaves a field, so that single keys are shortcuts again.
    if (e.key === 'Escape' && typing(e) && !e.defaultPrevented) (e.target as HTMLElement).blur()
    keys(e)
  }}
/>
{#if state}
  <header class="relative bg-sheet">
    <div class="mx-auto flex max-w-6xl items-center gap-x-3 px-4 pt-3">
      <a class="button slim no-print" href="#/" aria-label="All calls"><ArrowLeft size={18} /></a>
      <h1 class="min-w-0 grow truncate text-xl">{state.job.title}</h1>
      {#if state.practice}<span
          class="border-2 border-(--accent) px-2 text-sm font-semibold whitespace-nowrap text-accent"
          title="Every reading in it is simulated"
          >Practice<span class="max-sm:sr-only">&nbsp;house</span></span
        >{/if}
      <PhoneCard {callId} />
      <button
        class="button slim no-print"
        disabled={!state.undoText || state.busy}
        title={state.undoText ? `Undo: ${state.undoText}` : 'Nothing to undo'}
        onclick={() => state?.step(-1)}
        ><Undo2 size={16} /><span class="max-sm:sr-only">Undo</span> <kbd>Ctrl Z</kbd></button
      >
      <button
        class="button slim no-print"
        disabled={!state.redoText || state.busy}
        title={state.redoText ? `Redo: ${state.redoText}` : 'Nothing to redo'}
        onclick={() => state?.step(1)}
        ><Redo2 size={16} /><span class="max-sm:sr-only">Redo</span> <kbd>Ctrl Y</kbd></button
      >
    </div>
  </header>
  <div class="sticky top-0 z-20 border-b-2 border-ink bg-sheet print:static">
    <div class="mx-auto grid max-w-6xl items-end gap-x-2 px-4 lg:grid-cols-[auto_1fr]">
      <nav class="no-print order-2 flex overflow-x-auto lg:order-1" aria-label="Steps of the work">
        {#each STEPS as name, i (name)}
          <a
            class="-mb-0.5 flex items-baseline gap-1 border-b-4 px-1.5 py-2 font-semibold whitespace-nowrap"
            class:border-accent={name === step}
            class:border-transparent={name !== step}
            aria-current={name === step ? 'step' : undefined}
            href="#/call/{callId}/{name}">{names[name]} <kbd>{i + 1}</kbd></a
          >
        {/each}
      </nav>
      <div class="order-1 lg:order-2"><Figures {state} /></div>
    </div>
    {#if state.task}<Progress task={state.task} stop={() => void state?.stop()} />{/if}
  </div>
  <main class="mx-auto max-w-6xl p-4">
    {#if state.call.set_aside.length}
      <p class="page mb-4 border-accent!" role="alert">
        <strong>Part of this call could not be read</strong> and is kept apart; everything else is here:
        {state.call.set_aside.slice(0, 3).join('; ')}{state.call.set_aside.length > 3
          ? ` and ${state.call.set_aside.length - 3} more`
          : ''}.
        <a class="underline" href="/api/calls/{callId}/set-aside" download="set-aside.json"
          >Save what was set aside</a
        >
      </p>
    {/if}
    <StandingLine {state} {step} />
    <Cautions {step} />
    {#if step === 'ask'}<Ask {state} />
    {:else if step === 'kit'}<Kit {state} />
    {:else if step === 'house'}<House {state} />
    {:else if step === 'walk'}<Walk {state} />
    {:else if step === 'listen'}<Listen {state} />
    {:else if step === 'tune'}<Tune {state} />
    {:else if step === 'change'}<Change {state} />
    {:else if step === 'prove'}<Prove {state} />
    {:else}<HandOver {state} />{/if}
  </main>
{:else}
  <p class="p-6 text-soft">Opening the call…</p>
{/if}
