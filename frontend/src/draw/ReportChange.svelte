<script lang="ts">
  import { prose } from '../lib/format'
  import type { ChangeDrawing } from '../lib/types'

  let { block }: { block: ChangeDrawing } = $props()
  const STEP = 26
  const LEFT = 150
  const SPAN = 330
  const RIGHT = 250
  const MARK: Record<string, string> = { better: '+', worse: '×', inconclusive: '?' }
</script>

<h4 class="mt-2 font-semibold">{block.title}</h4>
<div class="overflow-x-auto">
  <svg
    viewBox="0 0 {LEFT + SPAN + RIGHT} {STEP * block.rows.length + 4}"
    class="block w-full max-w-3xl min-w-xl"
    role="img"
    aria-label="{block.title}: before and after"
  >
    {#each block.rows as row, n (n)}
      {@const y = STEP * (n + 0.5)}
      {@const a = LEFT + 8 + (SPAN - 16) * row.before_at}
      {@const b = LEFT + 8 + (SPAN - 16) * row.after_at}
      <text x="0" y={y + 5} class="fill-ink text-[15px]">{row.name}</text>
      <line x1={LEFT} x2={LEFT + SPAN} y1={y} y2={y} class="stroke-rule" />
      <line x1={a} x2={b} y1={y} y2={y} class="stroke-ink" stroke-width="3" />
      <circle cx={a} cy={y} r="6" class="fill-sheet stroke-ink" stroke-width="2" />
      <circle cx={b} cy={y} r="6" class="fill-accent stroke-accent" stroke-width="2" />
      <text x={LEFT + SPAN + 14} y={y + 5} class="figure fill-ink text-[15px]"
        >{prose(row.before)} to {prose(row.after)}</text
      >
      <text x={LEFT + SPAN + RIGHT} y={y + 5} text-anchor="end" class="fill-ink text-[15px]"
        >{MARK[row.verdict] ?? ''} {row.verdict}</text
      >
    {/each}
  </svg>
</div>
