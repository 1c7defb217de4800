<script lang="ts">
  import { prose } from '../lib/format'
  import { X } from '@lucide/svelte'
  import { notices } from '../state/notices.svelte'
</script>

<div aria-live="polite" class="no-print">
  {#if notices.text}
    <div
      role={notices.bad ? 'alert' : 'status'}
      class="pointer-events-none fixed inset-x-3 bottom-3 z-40 mx-auto flex max-w-3xl items-start gap-3 rounded border-2 bg-sheet p-3 shadow-lg"
      class:border-accent={notices.bad}
      class:border-ink={!notices.bad}
    >
      <strong class="shrink-0">{notices.bad ? 'Not done' : 'Done'}</strong>
      <span class="grow break-words">{prose(notices.text)}</span>
      <button
        class="pointer-events-auto button slim"
        aria-label="Close the message"
        onclick={() => notices.clear()}><X size={16} /></button
      >
    </div>
  {/if}
</div>
