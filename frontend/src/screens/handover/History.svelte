<script lang="ts">
  import { api, ask } from '../../lib/api'
  import { when } from '../../lib/format'
  import type { HistoryLine } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'

  let { call }: { call: CallState } = $props()
  const answer = new Resource<HistoryLine[]>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/history', { params: { path: { call_id: call.id } }, signal }))
  })
  let all = $state(false)
  const now = $derived(call.call.revision)
  const lines = $derived([...(answer.value ?? [])].reverse())
  const shown = $derived(all ? lines : lines.slice(0, 12))
  /** Steps on boxes are not stepped over: what lies behind one is out of reach. */
  const blocked = $derived((n: number) =>
    lines.some((l) => l.done_outside && l.number > Math.min(n, now) && l.number <= Math.max(n, now)),
  )
  const goTo = (line: HistoryLine) =>
    call.change(
      () =>
        api.POST('/api/calls/{call_id}/history/{number}', {
          params: { path: { call_id: call.id, number: line.number } },
        }),
      `back at step ${line.number}`,
    )
</script>

<section class="page no-print" aria-label="History">
  <h2>History: every step of this call</h2>
  <p class="mb-2 text-sm text-soft">
    Go back to any step; what came after stays until you change something there. What was done on boxes is
    taken back on the boxes, under Change.
  </p>
  <ol>
    {#each shown as line (line.number)}
      <li
        class="flex flex-wrap items-center gap-x-3 border-b border-(--rule) py-1"
        class:font-bold={line.number === now}
        class:opacity-60={line.number > now}
        aria-current={line.number === now ? 'step' : undefined}
      >
        <span class="figure w-10 text-right">{line.number}</span>
        <span class="w-44 text-sm text-soft">{when(line.made_at)}</span>
        <span class="grow"
          >{line.summary}{#if line.done_outside}<span class="ml-2 text-sm text-soft">on the boxes</span
            >{/if}</span
        >
        {#if line.number === now}<span>you are here</span>
        {:else}<button
            class="button slim"
            disabled={call.busy || blocked(line.number)}
            title={blocked(line.number) ? 'Something was done on boxes in between' : undefined}
            onclick={() => goTo(line)}>Go {line.number < now ? 'back' : 'on'} to {line.number}</button
          >{/if}
      </li>
    {/each}
  </ol>
  {#if lines.length > shown.length}<button class="button slim mt-2" onclick={() => (all = true)}
      >Show all {lines.length}</button
    >{/if}
</section>
