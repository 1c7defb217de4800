<script lang="ts">
  import { ArrowRight } from '@lucide/svelte'
  import { api, ask } from '../../lib/api'
  import { fixed, prose } from '../../lib/format'
  import type { Answer } from '../../lib/types'
  import Known from '../../parts/Known.svelte'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import { goTo, type Step } from '../../state/route.svelte'

  /** What a customer asks at the table: plain answers, each with its figure, how it is known, and where to read on. */
  let { state: call }: { state: CallState } = $props()
  const answer = new Resource<Answer[]>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/answers', { params: { path: { call_id: call.id } }, signal }))
  })
  const speeds = $derived(call.plan?.outlook?.speeds ?? [])
  const placeOf = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id
</script>

{#snippet row(
  question: string,
  text: string,
  figure: string,
  how: Answer['how'],
  sure: string,
  go: () => void,
)}
  <div class="grid gap-x-6 gap-y-1 border-b border-(--rule) py-3 md:grid-cols-[16rem_minmax(0,1fr)_auto]">
    <dt class="font-semibold">{question}</dt>
    <dd class="min-w-0">
      <p>{prose(text)}</p>
      <p class="flex flex-wrap items-center gap-x-3 text-sm text-soft">
        {#if figure}<span class="figure text-ink">{prose(figure)}</span>{/if}
        <Known {how} />
        {#if sure}<span>{prose(sure)}</span>{/if}
      </p>
    </dd>
    <dd class="justify-self-end">
      <button class="button slim" onclick={go} aria-label="Read on: {question}"
        >Read on <ArrowRight size={15} /></button
      >
    </dd>
  </div>
{/snippet}

<section class="page" aria-label="Questions at the table">
  <h2>Questions at the table</h2>
  {#if answer.value}
    <dl>
      {#each answer.value as a, i (i)}
        {@render row(a.question, a.text, a.figure, a.how, a.sure, () =>
          goTo(call.id, a.step as Step, a.part),
        )}
      {/each}
      {@render row(
        'What will the speed test say in each room after the change?',
        speeds.length
          ? speeds
              .map(
                (s) =>
                  `${placeOf(s.place_id)} ${fixed(s.now_mbps.middle)}, then ${fixed(s.then_mbps.middle)}`,
              )
              .join('; ')
          : 'Not known yet: find the best settings first, it takes seconds.',
        speeds.length ? 'Mb/s down, now and then' : '',
        speeds.length ? 'predicted' : 'not known',
        speeds.length ? `the middle of ${call.plan?.outlook?.worlds} drawn worlds; ranges under Tune` : '',
        () => goTo(call.id, 'tune', 'rooms'),
      )}
    </dl>
  {:else}<p class="text-soft">Working the answers out…</p>{/if}
</section>
