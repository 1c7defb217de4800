<script lang="ts">
  import { Square } from '@lucide/svelte'
  import type { Task } from '../lib/types'

  let { task, stop }: { task: Task; stop?: () => void } = $props()
  const done = $derived(Math.round(task.done_fraction * 100))
</script>

<div class="no-print border-t-2 border-ink bg-wash px-4 py-2" role="status" aria-label="Work in progress">
  <div class="mx-auto flex max-w-6xl items-center gap-3">
    <span class="figure w-14 text-right">{done} %</span>
    <progress class="h-3 w-40 shrink-0 accent-(--accent)" max="100" value={done} aria-label={task.text}
    ></progress>
    <span class="min-w-0 grow truncate">{task.text}</span>
    {#if stop && (task.kind === 'tune' || task.kind === 'trial')}
      <button class="button slim" disabled={task.stop_wanted} onclick={stop}
        ><Square size={14} />{task.kind === 'tune'
          ? 'Stop with the best so far'
          : 'Stop after this turn'}</button
      >
    {/if}
  </div>
</div>
