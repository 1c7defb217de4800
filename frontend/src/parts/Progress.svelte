<script lang="ts">
  import { prose } from '../lib/format'
  import { Square } from '@lucide/svelte'
  import type { Task } from '../lib/types'

  let { task, stop }: { task: Task; stop?: () => void } = $props()
  /** Work that can end early with what it has, and how that is called. */
  const STOPS: Record<string, string> = {
    tune: 'Stop with the best so far',
    trial: 'Stop after this turn',
    measure: 'Stop with what is known so far',
  }
  const done = $derived(Math.round(task.done_fraction * 100))
</script>

<div class="no-print border-t-2 border-ink bg-wash px-4 py-2" role="status" aria-label="Work in progress">
  <div class="mx-auto flex max-w-6xl items-center gap-3">
    <span class="figure w-14 text-right">{done} %</span>
    <progress class="h-3 w-40 shrink-0" max="100" value={done} aria-label={task.text}></progress>
    <span class="min-w-0 grow truncate">{prose(task.text)}</span>
    {#if stop && STOPS[task.kind]}
      <button class="button slim" disabled={task.stop_wanted} onclick={stop}
        ><Square size={14} />{STOPS[task.kind]}</button
      >
    {/if}
  </div>
</div>
