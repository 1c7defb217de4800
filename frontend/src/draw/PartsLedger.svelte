<script lang="ts">
  import { milliseconds, percent } from '../lib/format'
  import type { Bottleneck } from '../lib/types'

  /** Where a second of airtime, or all tries on a hop, go: one bar to scale, each part with its own hatching. */
  let { of, parts }: { of: string; parts: Bottleneck['parts'] } = $props()
  let width = $state(600)
  const airtime = $derived(of.includes('airtime'))
  const told = (fraction: number) => (airtime ? milliseconds(fraction) : percent(fraction))
  const sum = $derived(parts.reduce((s, p) => s + p.fraction, 0))
  const scale = $derived(width / Math.max(1, sum))
  const spans = $derived(
    parts.map((part, i) => ({
      part,
      from: parts.slice(0, i).reduce((s, p) => s + p.fraction, 0) * scale,
      wide: part.fraction * scale,
    })),
  )
  const FILL = {
    others: 'url(#parts-others)',
    own: 'url(#parts-own)',
    this: 'var(--accent)',
    lost: 'url(#parts-lost)',
  }
</script>

<figure class="m-0 mt-2" bind:clientWidth={width}>
  <svg
    {width}
    height="34"
    role="img"
    aria-label="{of}: {parts.map((p) => `${p.name} ${told(p.fraction)}`).join(', ')}"
  >
    <defs>
      <pattern
        id="parts-others"
        width="7"
        height="7"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <line x1="0" x2="0" y1="0" y2="7" class="stroke-ink" stroke-width="2.5" />
      </pattern>
      <pattern id="parts-own" width="6" height="6" patternUnits="userSpaceOnUse">
        <circle cx="3" cy="3" r="1.6" class="fill-accent" />
      </pattern>
      <pattern
        id="parts-lost"
        width="6"
        height="6"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(-45)"
      >
        <line x1="0" x2="0" y1="0" y2="6" class="stroke-accent" stroke-width="2.5" />
      </pattern>
    </defs>
    <rect x="0.5" y="4.5" width={Math.max(scale - 1, 0)} height="25" class="fill-sheet stroke-ink" />
    {#each spans as { part, from, wide }, i (i)}
      <rect x={from} y="5" width={Math.max(wide - 1, 0.5)} height="24" fill={FILL[part.kind]}
        ><title>{part.name}: {told(part.fraction)}</title></rect
      >
    {/each}
    <line x1={scale} x2={scale} y1="0" y2="34" class="stroke-ink" stroke-width="3" />
  </svg>
  <figcaption class="flex flex-wrap gap-x-4 text-sm text-soft">
    <span>{of}{sum > 1 ? `; ${told(sum - 1)} more than there is` : ''}</span>
    {#each parts.slice(0, 6) as part, i (i)}<span
        ><svg
          viewBox="0 0 14 10"
          width="14"
          height="10"
          class="inline border border-(--ink)"
          aria-hidden="true"><rect width="14" height="10" fill={FILL[part.kind]} /></svg
        >
        {part.name}
        {told(part.fraction)}</span
      >{/each}
  </figcaption>
</figure>
