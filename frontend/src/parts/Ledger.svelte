<script lang="ts">
  import type { Snippet } from 'svelte'

  /** A table of the notebook. Where it is wider than its page, it alone is scrolled. */
  interface Props {
    /** What stands over each column; with "figure", its cells hold figures, set to the right. */
    heads: readonly (string | readonly [string, 'figure'])[]
    /** What the table is, as it is read out. */
    label?: string
    class?: string
    children: Snippet
  }
  let { heads, label, class: look = 'text-sm', children }: Props = $props()
  const columns = $derived(heads.map((h) => (typeof h === 'string' ? ([h, ''] as const) : h)))
</script>

<div class="overflow-x-auto">
  <table class="ledger {look}" aria-label={label}>
    <thead>
      <tr
        >{#each columns as [text, kind], i (i)}<th class:number={kind === 'figure'}>{text}</th>{/each}</tr
      >
    </thead>
    <tbody>{@render children()}</tbody>
  </table>
</div>
