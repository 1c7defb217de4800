<script lang="ts">
  import type { Snippet } from 'svelte'
  import { plural } from '../lib/format'
  import { cells, fill, go, pasted, placeOf, rowsDown } from '../lib/grid'
  import type { CallState } from '../state/call.svelte'
  import { notices } from '../state/notices.svelte'

  /** A table of the notebook. Where it is wider than its page, it alone is scrolled. */
  interface Props {
    /** What stands over each column; with "figure", its cells hold figures, set to the right. */
    heads: readonly (string | readonly [string, 'figure'])[]
    /** What the table is, as it is read out. */
    label?: string
    /** The call whose entries its cells alter: with it, pasted cells fill the rows below as one step. */
    fills?: CallState
    class?: string
    children: Snippet
  }
  let { heads, label, fills, class: look = 'text-sm', children }: Props = $props()
  let body = $state<HTMLTableSectionElement>()

  function keys(event: KeyboardEvent) {
    const control = event.target
    if (!body || event.ctrlKey || event.metaKey || event.altKey) return
    if (!(control instanceof HTMLInputElement || control instanceof HTMLSelectElement)) return
    const down = rowsDown(event.key, event.shiftKey, control)
    const grid = cells(body)
    const at = down ? placeOf(grid, control) : null
    // The arrows of a number would count it up: in a table they go to the next row.
    if (at && (go(grid, at, down) || event.key !== 'Enter')) event.preventDefault()
  }
  function paste(event: ClipboardEvent) {
    const rows = pasted(event.clipboardData?.getData('text') ?? '')
    if (!rows || !body || !fills) return
    const grid = cells(body)
    const at = placeOf(grid, event.target)
    if (!at) return
    event.preventDefault()
    void fills.asOne(() => {
      const [took, refused] = fill(grid, at, rows)
      const none = took
        ? ''
        : `None of the ${plural(refused, 'cell')} fits: no such row, or not such a value.`
      if (none) notices.say(none)
      return `filled ${plural(took, 'cell')}${refused ? `; ${refused} did not fit: no such row, or not such a value` : ''}`
    })
  }
  const columns = $derived(heads.map((h) => (typeof h === 'string' ? ([h, ''] as const) : h)))
</script>

<div class="overflow-x-auto">
  <table class="ledger {look}" aria-label={label}>
    <thead>
      <tr
        >{#each columns as [text, kind], i (i)}<th class:number={kind === 'figure'}>{text}</th>{/each}</tr
      >
    </thead>
    <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
    <tbody bind:this={body} onkeydown={keys} onpaste={paste}>{@render children()}</tbody>
  </table>
</div>
