<script lang="ts">
  import { ArrowRight } from '@lucide/svelte'
  import { api, ask } from '../lib/api'
  import { prose, sentence } from '../lib/format'
  import { onKeys } from '../lib/keys'
  import type { Standing } from '../lib/types'
  import type { CallState } from '../state/call.svelte'
  import { Resource } from '../state/resource.svelte'
  import { goTo, type Step } from '../state/route.svelte'

  /** One line under the header: what this step knows, and the one thing worth doing next. */
  let { state: call, step }: { state: CallState; step: Step } = $props()
  const answer = new Resource<Standing>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/standing', { params: { path: { call_id: call.id } }, signal }))
  })
  const here = $derived(answer.value?.steps.find((s) => s.step === step))
  /** What is on trial is set nowhere yet: that comes first. */
  const apply = $derived(!!call.trial)
  const there = $derived(step === 'tune' || step === 'change' ? 'change' : 'tune')
  const next = $derived(answer.value?.next)
  let more = $state(false)

  function go(thing: Standing['next']) {
    call.atPlace = thing.place_id ?? ''
    goTo(call.id, thing.step as Step, thing.part)
  }
  const keys = onKeys({
    j: () => (apply ? goTo(call.id, there) : next && go(next)),
  })
</script>

<svelte:window onkeydown={keys} />
{#if next}
  <section
    class="no-print mb-4 flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-(--strong-rule) pb-2 {more
      ? ''
      : 'lg:flex-nowrap'}"
    aria-label="Where the call stands"
  >
    <p class="min-w-48 flex-1 text-sm text-soft">
      {#if here}{prose(here.said)}.{/if}
    </p>
    {#if apply}
      <p class="min-w-0">
        <span class="text-sm text-soft">Next:</span>
        <a class="font-semibold underline underline-offset-4" href="#/call/{call.id}/{there}"
          >{step === 'change' ? 'Make the sheet' : 'Apply the trial settings'}</a
        >
        <kbd>J</kbd>
        <span class="block text-sm text-soft">No node has them yet.</span>
      </p>
    {:else}
      <p class="min-w-0">
        <span class="text-sm text-soft">Next:</span>
        <a
          class="font-semibold underline underline-offset-4"
          href="#/call/{call.id}/{next.step}{next.part ? `/${next.part}` : ''}"
          onclick={(e) => {
            e.preventDefault()
            go(next)
          }}>{prose(next.text)}</a
        >
        <span class="figure text-sm">{next.minutes} min</span>
        <kbd>J</kbd>
        <span class="block text-sm text-soft">{sentence(next.why)}.</span>
      </p>
    {/if}
    {#if answer.value?.others.length}
      <button class="button slim" aria-expanded={more} onclick={() => (more = !more)}
        >{more ? 'Less' : 'What else'}</button
      >
    {/if}
    {#if more}
      <ol class="w-full text-sm" aria-label="What else would help">
        {#each answer.value?.others ?? [] as thing, i (i)}
          <li class="flex flex-wrap items-baseline gap-x-2 border-t border-(--rule) py-1">
            <button class="underline underline-offset-4" onclick={() => go(thing)}>{prose(thing.text)}</button
            >
            <span class="figure">{thing.minutes} min</span>
            <span class="text-soft">{sentence(thing.why)}.</span>
            <ArrowRight size={14} aria-hidden="true" />
          </li>
        {/each}
      </ol>
    {/if}
  </section>
{/if}
