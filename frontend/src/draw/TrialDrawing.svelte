<script lang="ts">
  import { fixed } from '../lib/format'
  import type { AbTestView } from '../lib/types'

  let { view }: { view: AbTestView } = $props()
  const visits = $derived(view.ab_test.arm_runs)
  /** Levels are drawn evenly by the decibel, everything else by its ratio. */
  const even = $derived(view.unit === 'dBm')
  const values = $derived(visits.flatMap((v) => v.values).filter((v) => even || v > 0))
  const MARGIN_DB = 2
  const low = $derived(even ? Math.min(...values) - MARGIN_DB : Math.min(...values) / 1.15)
  const high = $derived(even ? Math.max(...values) + MARGIN_DB : Math.max(...values) * 1.15)
  const STEP = 34
  const HEIGHT = 120
  const LEFT = 56
  const width = $derived(LEFT + Math.max(visits.length, 8) * STEP + 10)
  const y = (value: number) =>
    10 +
    (HEIGHT - 20) *
      (1 -
        (even ? (value - low) / (high - low) : Math.log(Math.max(value, low) / low) / Math.log(high / low)))
  const middle = (list: number[]) => [...list].sort((a, b) => a - b)[Math.floor((list.length - 1) / 2)]!
  const mark = (value: number) =>
    even
      ? `−${fixed(Math.abs(value))}`
      : value >= 100
        ? fixed(value)
        : value >= 1
          ? fixed(value, 1)
          : fixed(value, 3)
</script>

{#if values.length}
  <div class="overflow-x-auto">
    <svg
      viewBox="0 0 {width} {HEIGHT + 24}"
      {width}
      height={HEIGHT + 24}
      class="max-w-none"
      role="img"
      aria-label="{visits.length} turns: what each gave, A open and B full"
    >
      {#each even ? [low + MARGIN_DB, high - MARGIN_DB] : [low * 1.15, high / 1.15] as level, k (k)}
        <line x1={LEFT} x2={width} y1={y(level)} y2={y(level)} class="stroke-rule" />
        <text x={LEFT - 8} y={y(level) + 4} text-anchor="end" class="figure fill-soft text-[11px]"
          >{mark(level)}</text
        >
      {/each}
      <text x={LEFT - 8} y={HEIGHT / 2 + 4} text-anchor="end" class="fill-soft text-[11px]">{view.unit}</text>
      {#each visits as v, n (n)}
        {@const x = LEFT + n * STEP + STEP / 2}
        {#if n % 4 === 0 && n}<line
            x1={x - STEP / 2}
            x2={x - STEP / 2}
            y1="0"
            y2={HEIGHT + 20}
            class="stroke-rule"
            stroke-dasharray="2 3"
          />{/if}
        {#each v.values as value, i (i)}
          <circle
            cx={x + (i - (v.values.length - 1) / 2) * 3}
            cy={y(value)}
            r="3"
            class={v.arm === 'B' ? 'fill-accent stroke-accent' : 'fill-sheet stroke-ink'}
          />
        {/each}
        <line
          x1={x - 11}
          x2={x + 11}
          y1={y(middle(v.values))}
          y2={y(middle(v.values))}
          class={v.arm === 'B' ? 'stroke-accent' : 'stroke-ink'}
          stroke-width="2"
        />
        <text {x} y={HEIGHT + 16} text-anchor="middle" class="fill-ink text-[13px] font-semibold"
          >{v.arm}</text
        >
      {/each}
    </svg>
  </div>
{/if}
