<script lang="ts">
  import { db, dbm, fixed, prose } from '../../lib/format'
  import type { TraceView } from '../../lib/types'
  import Ledger from '../../parts/Ledger.svelte'

  let { trace, nameOf }: { trace: TraceView; nameOf: (id: string) => string } = $props()
  let widthPx = $state(640)
  const WIDTH = $derived(Math.max(widthPx, 240))
  const HEIGHT = 200
  const LEFT = 44
  const BOTTOM = 24
  const line = $derived(trace.lines[0] ?? null)
  const low = $derived(Math.floor((Math.min(...(line?.level_dbm ?? [-90])) - 3) / 10) * 10)
  const high = $derived(Math.ceil((Math.max(...(line?.level_dbm ?? [-30])) + 3) / 10) * 10)
  const x = (at: number) => LEFT + ((WIDTH - LEFT - 8) * at) / Math.max(trace.walk_m, 0.1)
  const y = (level: number) => 8 + ((HEIGHT - BOTTOM - 8) * (high - level)) / Math.max(high - low, 1)
  const ticks = $derived(Array.from({ length: (high - low) / 10 + 1 }, (_, i) => low + i * 10))
  const costly = $derived(
    [...trace.lines.flatMap((l) => l.steps.map((s) => ({ ...s, radio: l.radio_id })))]
      .filter((s) => s.computed_db > 0)
      .sort((a, b) => b.measured_db - a.measured_db)
      .slice(0, 6),
  )
</script>

<section aria-label="The walk" class="grid gap-2">
  <h3>{nameOf(trace.from_place_id)} to {nameOf(trace.to_place_id)}</h3>
  {#if trace.costliest}<p class="font-semibold">
      Costs most: <span class="text-accent">{prose(trace.costliest)}</span>
    </p>
  {:else}<p class="text-soft">No wall stands out on this way.</p>{/if}
  {#if line}
    <div bind:clientWidth={widthPx}>
      <svg
        viewBox="0 0 {WIDTH} {HEIGHT}"
        class="w-full"
        role="img"
        aria-label="Level of {line.radio_id} on the way"
      >
        {#each ticks as level (level)}
          <line x1={LEFT} x2={WIDTH - 8} y1={y(level)} y2={y(level)} class="stroke-rule" stroke-width="1" />
          <text x={LEFT - 6} y={y(level) + 5} text-anchor="end" font-size="14" class="figure fill-soft"
            >−{-level}</text
          >
        {/each}
        {#each line.steps.filter((s) => s.computed_db > 0) as step, i (i)}
          <line
            x1={x(step.at_m)}
            x2={x(step.at_m)}
            y1="8"
            y2={HEIGHT - BOTTOM}
            class="stroke-accent"
            stroke-width="1.5"
            stroke-dasharray="5 4"
          />
          <text x={x(step.at_m)} y={HEIGHT - 6} text-anchor="middle" font-size="14" class="figure fill-accent"
            >{db(-step.measured_db, 0)}</text
          >
        {/each}
        <polyline
          points={line.at_m.map((at, i) => `${x(at)},${y(line.level_dbm[i]!)}`).join(' ')}
          fill="none"
          class="stroke-ink"
          stroke-width="2"
        />
      </svg>
    </div>
    <p class="text-sm text-soft">
      {line.radio_id}, {line.band}, in dBm along {fixed(trace.walk_m, 1)} m; {dbm(line.level_dbm[0])} to {dbm(
        line.level_dbm[line.level_dbm.length - 1],
      )}.
    </p>
  {/if}
  {#if costly.length}
    <Ledger
      label="What came into the path"
      class="tight text-sm"
      heads={['Came between', 'Radio', ['Book', 'figure'], ['Measured', 'figure']]}
    >
      {#each costly as s, i (i)}
        <tr
          ><td>{prose(s.what)} <span class="text-soft">at {fixed(s.at_m, 1)} m</span></td><td>{s.radio}</td
          ><td class="number">{db(s.computed_db, 0)}</td><td class="number figure"
            >{db(s.measured_db, 0)} <span class="text-soft">±{fixed(s.spread_db)}</span></td
          ></tr
        >
      {/each}
    </Ledger>
  {/if}
</section>
