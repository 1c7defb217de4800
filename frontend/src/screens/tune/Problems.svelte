<script lang="ts">
  import Known from '../../parts/Known.svelte'
  import { api, ask } from '../../lib/api'
  import PartsLedger from '../../draw/PartsLedger.svelte'
  import { plural, prose } from '../../lib/format'
  import type { Bottleneck } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'

  let { state: call }: { state: CallState } = $props()
  const answer = new Resource<Bottleneck>((signal) =>
    ask(
      api.POST('/api/calls/{call_id}/holding', {
        params: { path: { call_id: call.id } },
        body: { settings: call.settings, stands: [] },
        signal,
      }),
    ),
  )
  const holding = $derived(answer.value)
  const shown = $derived(call.trialFigures ?? call.now!)
  const name = (id: string) =>
    call.job.devices.find((d) => d.id === id)?.name ??
    call.job.zigbee?.devices.find((d) => d.id === id)?.name ??
    call.job.thread?.devices.find((d) => d.id === id)?.name ??
    call.job.nodes.find((n) => n.id === id)?.name ??
    id
  const unmeasured = $derived(shown.devices.filter((d) => !d.measured).map((d) => name(d.device_id)))
</script>

<section class="page mb-4" aria-label="Problems">
  <h3>
    {#if shown.problems === 0}No problems {call.trial
        ? 'with what is on trial'
        : 'with the current settings'}: every device that counts is carried.
    {:else}{plural(shown.problems, 'problem')}
      {call.trial ? 'with what is on trial' : 'with the current settings'}{/if}
  </h3>
  {#if holding}
    <p class="mt-1 text-lg">
      Bottleneck: <strong class:text-accent={holding.problem}>{prose(holding.text)}</strong>.
    </p>
  {/if}
  {#if holding?.parts.length}<PartsLedger of={holding.of} parts={holding.parts} />{/if}
  {#if shown.problems}
    <ul class="mt-1 grid gap-x-6 sm:grid-cols-2">
      {#each shown.problem_list as problem (problem.kind + problem.subject_id)}
        <li class="border-b border-(--rule) py-1">
          <strong>{name(problem.subject_id)}</strong>
          <span class="text-sm text-soft">{prose(problem.text)}</span>
        </li>
      {/each}
    </ul>
  {/if}
  {#if unmeasured.length}
    <p class="mt-2 text-sm">
      <Known how="assumed" />: nobody measured where it is used, so an average of the other places stands in
      for {unmeasured.join(', ')}.
    </p>
  {/if}
</section>
