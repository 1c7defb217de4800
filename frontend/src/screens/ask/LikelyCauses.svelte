<script lang="ts">
  import { api, ask } from '../../lib/api'
  import { percent, prose } from '../../lib/format'
  import type { LikelyCauses } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'
  import { Resource } from '../../state/resource.svelte'

  type Kind = LikelyCauses['found'][number]['kind']
  let { state: call }: { state: CallState } = $props()
  /** The complaint that is looked into; with several a test is made for one of them, unless all are chosen. */
  let picked = $state<string | null>(null)
  const complaints = $derived(call.job.complaints)
  const complaintId = $derived(
    complaints.length < 2
      ? ''
      : picked === '' || complaints.some((c) => c.id === picked)
        ? (picked ?? '')
        : (complaints.at(-1)?.id ?? ''),
  )
  const ranked = new Resource<LikelyCauses>((signal) => {
    void call.call.revision
    const query = complaintId ? { complaint_id: complaintId } : {}
    const params = { path: { call_id: call.id }, query }
    return ask(api.GET('/api/calls/{call_id}/causes', { params, signal }))
  })
  const placeOf = (id: string | null) => call.job.places.find((p) => p.id === id)?.name
  const view = $derived(ranked.value)
  let all = $state(false)
  const shown = $derived((view?.found ?? []).filter((s, i) => all || i < 3 || s.answer || s.order === 1))
  const answer = (cause: Kind, shows: 'confirmed' | 'ruled out' | null) =>
    call.change(
      () =>
        api.POST('/api/calls/{call_id}/answers', {
          params: { path: { call_id: call.id } },
          body: { cause, shows, note: '', complaint_id: complaintId || null },
        }),
      `${cause}: ${shows ?? 'not answered'}`,
    )
</script>

{#if view?.found.length}
  <section class="page" aria-label="Likely causes">
    <h2>{view.text[0]?.toUpperCase()}{prose(view.text.slice(1))}.</h2>
    {#if complaints.length > 1}<div class="mb-2 w-fit">
        <Field label="Asked and answered for">
          <Picker
            class="field text-base text-ink"
            value={complaintId}
            onchange={(e) => (picked = e.currentTarget.value)}
            empty="all complaints together"
            options={complaints.map(
              (c) => [c.id, [c.what, placeOf(c.place_id)].filter(Boolean).join(', ')] as const,
            )}
          />
        </Field>
      </div>{/if}
    <p class="mb-2 text-sm text-soft">
      Each begins with how often it is behind such a complaint (common practice); what the house says
      multiplies it, and so does the answer of its test. The bars add up to one{complaints.length > 1 &&
      !complaintId
        ? ', and are the mean over the complaints'
        : ''}.
    </p>
    <ol class="grid gap-2">
      {#each shown as s (s.kind)}
        <li class="border-t border-(--rule) pt-2" data-cause={s.kind}>
          <div class="flex flex-wrap items-baseline gap-x-3">
            <span class="figure w-14 text-right text-lg">{percent(s.share)}</span>
            <strong class="text-lg">{s.kind}</strong>
            <span class="text-sm text-soft">usually {percent(s.usual)}</span>
            {#if s.answer}<strong class:text-accent={s.answer === 'confirmed'}>{s.answer}</strong>{/if}
          </div>
          <svg
            class="my-1 block h-2 w-full max-w-2xl"
            preserveAspectRatio="none"
            viewBox="0 0 100 8"
            aria-hidden="true"
          >
            <rect width="100" height="8" class="fill-wash" />
            <rect
              width={s.share * 100}
              height="8"
              class={s.answer === 'ruled out' ? 'fill-rule' : 'fill-accent'}
            />
            <line x1={s.usual * 100} x2={s.usual * 100} y1="0" y2="8" class="stroke-ink" stroke-width="0.6" />
          </svg>
          <ul class="text-sm">
            {#each s.evidence as e, i (i)}
              <li>
                <span class="figure inline-block w-12 text-right" class:text-accent={e.factor > 1}
                  >×{e.factor}</span
                >
                {prose(e.text)}
              </li>
            {/each}
          </ul>
          <div class="mt-1 flex flex-wrap items-center gap-2 text-sm">
            <span class="grow"
              >{#if s.order}<strong>{s.order}.</strong>{/if}
              <a class="underline underline-offset-4" href="#/call/{call.id}/{s.test.step}"
                >{prose(s.test.text)}</a
              >
              <span class="text-soft">{s.test.minutes} min</span></span
            >
            {#if s.answer}
              <button class="button slim" onclick={() => answer(s.kind, null)}>Ask again</button>
            {:else}
              <button
                class="button slim"
                aria-label="{s.kind}: confirmed"
                onclick={() => answer(s.kind, 'confirmed')}>Confirmed</button
              >
              <button
                class="button slim"
                aria-label="{s.kind}: ruled out"
                onclick={() => answer(s.kind, 'ruled out')}>Ruled out</button
              >
            {/if}
          </div>
        </li>
      {/each}
    </ol>
    {#if view.found.length > shown.length || all}
      <button class="button slim mt-3" aria-expanded={all} onclick={() => (all = !all)}
        >{all ? 'Show the likely ones only' : `Show all ${view.found.length}`}</button
      >
    {/if}
  </section>
{/if}
