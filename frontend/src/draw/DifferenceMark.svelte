<script lang="ts">
  import { db, delivery, fixed, mbps } from '../lib/format'
  import type { Difference } from '../lib/types'

  /** Ratios of Mb/s, of ms and of times a week; differences of delivered shares and of dB. */
  type Kind = 'ratio' | 'latency' | 'rate' | 'share' | 'level'
  let { d, kind }: { d: Difference; kind: Kind } = $props()
  const ratio = $derived(kind === 'ratio' || kind === 'latency' || kind === 'rate')
  const value = (x: number) =>
    kind === 'ratio'
      ? mbps(x)
      : kind === 'latency'
        ? `${fixed(x)} ms`
        : kind === 'rate'
          ? fixed(x, 1)
          : kind === 'level'
            ? db(x)
            : delivery(x)
  const signed = (x: number) => {
    const points = ratio ? (x - 1) * 100 : kind === 'level' ? x : x * 100
    return `${points < 0 ? '−' : '+'}${fixed(Math.abs(points), ratio ? 0 : 1)}`
  }
  const unit = $derived(ratio ? '%' : kind === 'level' ? 'dB' : 'points')
  /** Half the width of the scale: a factor of two for ratios, 20 points for shares, 20 dB for levels. */
  const share = (x: number) => {
    const t = ratio ? Math.log2(Math.max(x, 0.01)) : kind === 'level' ? x / 20 : x / 0.2
    return 50 + 50 * Math.max(-1, Math.min(1, t))
  }
  const mark = $derived({ better: '+', worse: '×', inconclusive: '?' }[d.verdict])
</script>

<div class="grid grid-cols-[1fr_auto] items-center gap-x-3" data-verdict={d.verdict}>
  <span>{value(d.before)} before, {value(d.after)} after</span>
  <strong class:text-good={d.verdict === 'better'} class:text-accent={d.verdict === 'worse'}
    >{mark} {d.verdict}</strong
  >
  <svg viewBox="0 0 100 8" preserveAspectRatio="none" class="block h-3 w-full" aria-hidden="true">
    <line
      x1="50"
      x2="50"
      y1="0"
      y2="8"
      class="stroke-strong"
      vector-effect="non-scaling-stroke"
      stroke-width="1.5"
    />
    <line
      x1={share(d.low)}
      x2={share(d.high)}
      y1="4"
      y2="4"
      class="stroke-ink"
      vector-effect="non-scaling-stroke"
      stroke-width="4"
    />
    <line
      x1={share(d.change)}
      x2={share(d.change)}
      y1="0"
      y2="8"
      class="stroke-accent"
      vector-effect="non-scaling-stroke"
      stroke-width="4"
    />
  </svg>
  <span class="text-xs text-soft">{signed(d.change)} {unit} ({signed(d.low)} to {signed(d.high)})</span>
</div>
