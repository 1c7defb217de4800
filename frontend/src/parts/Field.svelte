<script lang="ts">
  import type { Snippet } from 'svelte'

  /** What a control is called, over it or beside it. */
  interface Props {
    label: string
    beside?: boolean
    grow?: boolean
    children: Snippet
  }
  let { label, beside = false, grow = false, children }: Props = $props()
</script>

<label
  class="max-w-full text-sm text-soft {beside ? 'flex items-center gap-1' : 'grid grid-cols-[minmax(0,1fr)]'}"
  class:grow
  data-field={beside ? 'beside' : 'over'}>{label}{@render children()}</label
>
