<script lang="ts">
  import type { SpectrumDrawing } from '../lib/types'

  let { block }: { block: SpectrumDrawing } = $props()
  const LEFT = 120
  const WIDTH = 880
  const LANE = 20
  const x = (mhz: number) =>
    LEFT + ((WIDTH - LEFT - 10) * (mhz - block.low_mhz)) / (block.high_mhz - block.low_mhz)
  const rows = $derived(
    block.lanes.flatMap((lane) =>
      (lane.rows.length ? lane.rows : [[]]).map((line, i) => ({ name: i ? '' : lane.name, line })),
    ),
  )
  const span = $derived(block.high_mhz - block.low_mhz)
  const step = $derived([10, 20, 50, 100, 200, 500].find((s) => span / s <= 14) ?? 500)
  const ticks = $derived(
    Array.from(
      { length: Math.floor(block.high_mhz / step) - Math.ceil(block.low_mhz / step) + 1 },
      (_, i) => (Math.ceil(block.low_mhz / step) + i) * step,
    ),
  )
  const height = $derived(rows.length * LANE + 22)
  const id = $derived(`others-${block.band.replace(/\W/g, '')}`)
</script>

<h4 class="mt-2 font-semibold">{block.band} to scale</h4>
<div class="overflow-x-auto">
  <svg
    viewBox="0 0 {WIDTH} {height}"
    class="block w-full min-w-xl"
    role="img"
    aria-label="{block.band}: own channels and the others, in MHz"
  >
    <defs>
      <pattern {id} width="8" height="8" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <rect width="8" height="8" class="fill-wash" /><line y2="8" class="stroke-strong" />
      </pattern>
    </defs>
    {#each rows as row, n (n)}
      {@const y = n * LANE}
      <text x="0" y={y + 14} class="fill-soft text-[13px]">{row.name}</text>
      {#each row.line as s, i (i)}
        {@const a = x(s.low_mhz)}
        {@const b = Math.max(x(s.high_mhz), x(s.low_mhz) + 2)}
        <rect
          x={a}
          y={y + 2}
          width={b - a}
          height={LANE - 5}
          fill={s.style === 'others' ? `url(#${id})` : undefined}
          class="stroke-ink {s.style === 'own' ? 'fill-accent' : s.style === 'zigbee' ? 'fill-ink' : ''}"
        />
        {#if s.style === 'others' || (b - a) / 7.5 > s.who.length}
          <text
            x={(a + b) / 2}
            y={y + 14}
            text-anchor="middle"
            class="text-[12px] {s.style === 'own' ? 'fill-accent-ink' : 'fill-ink'}">{s.who}</text
          >
        {:else}<text x={b + 4} y={y + 14} class="fill-ink text-[12px]">{s.who}</text>{/if}
      {/each}
    {/each}
    <line x1={LEFT} x2={WIDTH - 10} y1={height - 18} y2={height - 18} class="stroke-ink" />
    {#each ticks as t (t)}
      <line x1={x(t)} x2={x(t)} y1={height - 18} y2={height - 13} class="stroke-ink" />
      <text x={x(t)} y={height - 2} text-anchor="middle" class="figure fill-soft text-[12px]">{t}</text>
    {/each}
    <text x="0" y={height - 2} class="fill-soft text-[12px]">MHz</text>
  </svg>
</div>
