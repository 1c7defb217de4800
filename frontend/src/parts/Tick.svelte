<script lang="ts">
  import type { Snippet } from 'svelte'

  /** Yes or no, with what it says beside it, or read out by itself in a table's cell. */
  interface Props {
    checked: boolean
    onpick: (on: boolean) => unknown
    /** What it is, as it is read out, where no text stands beside it or the text is not enough. */
    label?: string
    children?: Snippet
  }
  let { checked, onpick, label, children }: Props = $props()
</script>

{#snippet box()}<input
    type="checkbox"
    class="size-5"
    aria-label={label}
    {checked}
    onchange={(e) => onpick(e.currentTarget.checked)}
  />{/snippet}
{#if children}<label class="flex items-center gap-1">{@render box()}{@render children()}</label
  >{:else}{@render box()}{/if}
