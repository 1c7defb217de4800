<script lang="ts">
  import type { BandSheet, Strip } from '../lib/types'
  import { at, span, WIDTH } from './sheet'

  let { sheet, strip }: { sheet: BandSheet; strip: Strip } = $props()
  const own = $derived(strip.own_radio_id !== null)
  const use = $derived(strip.reading.channel_use_fraction)
  const height = 26
</script>

<svg viewBox="0 0 {WIDTH} {height}" preserveAspectRatio="none" class="block h-7 w-full" aria-hidden="true">
  {#each sheet.channels as channel (channel.channel)}
    {@const x = at(channel.centre_mhz, sheet.low_mhz, sheet.high_mhz)}
    <line x1={x} x2={x} y1="0" y2={height} class="stroke-rule" vector-effect="non-scaling-stroke" />
  {/each}
  {#each strip.segments_mhz as segment, i (i)}
    {@const [low, high] = segment as [number, number]}
    {@const s = span(low, high, sheet.low_mhz, sheet.high_mhz)}
    <rect
      x={s.x}
      y="4"
      width={s.width}
      height={height - 8}
      class={own ? 'fill-accent stroke-accent' : 'fill-sheet stroke-ink'}
      stroke-width="1.5"
      vector-effect="non-scaling-stroke"
    />
    {#if !own && use !== null}
      <rect
        x={s.x}
        y={height - 4 - (height - 8) * use}
        width={s.width}
        height={(height - 8) * use}
        class="fill-rule"
      />
      <line
        x1={s.x}
        x2={s.x + s.width}
        y1={height - 4 - (height - 8) * use}
        y2={height - 4 - (height - 8) * use}
        class="stroke-ink"
        vector-effect="non-scaling-stroke"
      />
    {/if}
  {/each}
  {#if strip.segments_mhz.length}
    {@const x = at(strip.primary_mhz, sheet.low_mhz, sheet.high_mhz)}
    <line
      x1={x}
      x2={x}
      y1="1"
      y2={height - 1}
      class={own ? 'stroke-ink' : 'stroke-accent'}
      stroke-width="2.5"
      vector-effect="non-scaling-stroke"
    />
  {/if}
</svg>
