<script lang="ts">
  import { ListChecks, Printer } from '@lucide/svelte'
  import { api, ask } from '../../lib/api'
  import { plural, sentence, when } from '../../lib/format'
  import { onKeys } from '../../lib/keys'
  import type { InstrumentView, SheetView } from '../../lib/types'
  import Confirm from '../../parts/Confirm.svelte'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import { waiting } from '../../state/waiting.svelte'
  import SheetStep from './SheetStep.svelte'
  import AbTests from './AbTests.svelte'
  import Works from './Works.svelte'

  let { state: call }: { state: CallState } = $props()
  const KEPT = $derived(`even-static-sheet-${call.id}`)
  let away = $state(false)
  let replacing = $state(false)

  // The sheet is kept in this browser too: while the network is down it is still here to be read and ticked.
  const found = new Resource<SheetView | null>(
    async (signal) => {
      void call.call.revision
      const now = await ask(
        api.GET('/api/calls/{call_id}/sheet', { params: { path: { call_id: call.id } }, signal }),
      )
      away = false
      localStorage.setItem(KEPT, JSON.stringify(now))
      return now
    },
    () => (away = true),
  )
  const sheet = $derived(
    away ? (JSON.parse(localStorage.getItem(KEPT) ?? 'null') as SheetView | null) : found.value,
  )
  const instruments = new Resource<InstrumentView[]>(
    (signal) =>
      ask(api.GET('/api/calls/{call_id}/instruments', { params: { path: { call_id: call.id } }, signal })),
    () => {},
  )
  const coordinator = $derived((instruments.value ?? []).some((i) => i.kind === 'coordinator' && i.available))
  const waits = $derived(waiting.of(call.id).filter((w) => w.kind === 'tick'))
  // What waited has been sent: see how the call is now.
  let waited = false
  $effect(() => {
    if (waits.length) waited = true
    else if (waited) {
      waited = false
      void call.reload().catch(() => {})
    }
  })
  const started = $derived(!!sheet && sheet.done > 0 && !sheet.finished)
  const make = () => (started ? (replacing = true) : void call.makeSheet(call.settings, call.reason, false))
  const next = $derived(sheet?.steps.find((s) => s.may_act))
  const keys = onKeys({ m: () => call.trial && make() })
</script>

<svelte:window onkeydown={keys} />
<div class="mb-4 flex flex-wrap items-center gap-3">
  <button
    class="button"
    class:main={!sheet || sheet.finished}
    disabled={!call.trial || call.busy}
    onclick={make}><ListChecks size={18} />Make the sheet from the trial settings <kbd>M</kbd></button
  >
  {#if !call.trial}<span class="text-soft"
      >{sheet ? '' : 'No settings are on trial: '}<a class="underline" href="#/call/{call.id}/tune"
        >find the best under Tune</a
      >{sheet ? ' to make another.' : ' first.'}</span
    >{/if}
  <span class="grow"></span>
  {#if sheet}<button class="button no-print" onclick={() => print()}><Printer size={18} />Print</button>{/if}
</div>

{#if sheet}
  <section class="page mb-4 border-2 border-(--ink)" aria-label="The change sheet">
    <h2>{sentence(sheet.text)}.</h2>
    <p class="mt-1">{sheet.when} {sheet.sit}</p>
    <div
      class="mt-2 flex h-4 max-w-xl gap-0.5"
      role="img"
      aria-label="{sheet.done} of {plural(sheet.steps.length, 'step')} done"
    >
      {#each sheet.steps as s (s.id)}<span
          class="grow border border-(--ink)"
          class:bg-ink={s.state === 'done'}
          class:bg-accent={s.state === 'differs'}
        ></span>{/each}
    </div>
    {#if call.job.sheet}<p class="mt-1 text-sm text-soft">
        Made {when(call.job.sheet.made_at)}{call.job.sheet.reason ? `: ${call.job.sheet.reason}` : ''}.
      </p>{/if}
    {#if away || waits.length}
      <p class="mt-2 font-semibold text-accent" role="status">
        The application cannot be reached just now. Go on: what you tick waits in this browser{waits.length
          ? ` (${plural(waits.length, 'tick')} waiting)`
          : ''} and is sent when the network is back.
      </p>
    {/if}
  </section>
  <ol class="grid gap-3">
    {#each sheet.steps as s (s.id)}
      <SheetStep
        {call}
        step={s}
        next={s.id === next?.id}
        ticked={waits.some((w) => w.kind === 'tick' && w.stepId === s.id)}
        {coordinator}
      />
    {/each}
  </ol>
  {#if sheet.finished}
    <p class="page mt-4">
      All steps are done. <a class="underline" href="#/call/{call.id}/listen">Listen and test again</a> in the
      same spots, then <a class="underline" href="#/call/{call.id}/prove">see whether it helped</a>.
    </p>
  {/if}
{:else if found.asked}
  <p class="page">
    No change sheet yet. It lists every step in an order that never cuts you off: what to set, how long it
    takes, who drops off, how to check it and how to go back.
  </p>
{/if}

<AbTests {call} />
<Works {call} />

<Confirm
  bind:open={replacing}
  title="Throw away a sheet in the middle of the work?"
  action="Make a new one"
  onconfirm={() => call.makeSheet(call.settings, call.reason, true)}
>
  <p>
    {sheet?.done} of its steps are done already. The new sheet starts from how the nodes are set now; what was done
    stays done.
  </p>
</Confirm>
