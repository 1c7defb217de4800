<script lang="ts">
  import { rules } from '../state/rules.svelte'
  import { delivery, percent } from '../lib/format'
  import type { BandSheet, ZigbeeSlot } from '../lib/types'
  import { labelled, span, WIDTH } from './sheet'

  let { sheet, slots }: { sheet: BandSheet; slots: ZigbeeSlot[] } = $props()
  let width = $state(500)
  /** From strip units to pixels of this drawing, so that its text keeps its size. */
  const px = (x: number) => (x / WIDTH) * width
  const half = $derived(sheet.band === '2.4 GHz' ? 2.2 : 9)
  const box = (mhz: number, around: number) => {
    const s = span(mhz - around, mhz + around, sheet.low_mhz, sheet.high_mhz)
    return { x: px(s.x), width: px(s.width), middle: px(s.x + s.width / 2) }
  }
  const numbered = $derived(
    labelled(
      sheet.channels.map((c) => c.centre_mhz),
      sheet.low_mhz,
      sheet.high_mhz,
      (26 / width) * WIDTH,
    ),
  )
  const numberedSlots = $derived(
    labelled(
      slots.map((s) => s.centre_mhz),
      sheet.low_mhz,
      sheet.high_mhz,
      (20 / width) * WIDTH,
    ),
  )
  const height = $derived(slots.length ? 108 : 66)
</script>

<div bind:clientWidth={width}>
  <svg
    viewBox="0 0 {width} {height}"
    {width}
    {height}
    class="block max-w-full"
    role="img"
    aria-label="Busy airtime by channel at {sheet.band}"
  >
    <defs>
      <pattern id="closed" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <line x1="0" x2="0" y1="0" y2="6" class="stroke-strong" stroke-width="1.5" />
      </pattern>
    </defs>
    {#each sheet.channels as channel, i (channel.channel)}
      {@const b = box(channel.centre_mhz, half)}
      <g>
        <title>
          Channel {channel.channel}: {percent(channel.busy_fraction)} busy with {channel.networks} networks{channel.assumed
            ? ', most of which do not announce it: assumed'
            : ''}{channel.lawful ? '' : '; closed to access points here'}{channel.dfs
            ? '; radar detection required'
            : ''}
        </title>
        <rect x={b.x} y="16" width={b.width} height="28" class="fill-wash" />
        {#if !channel.lawful}<rect x={b.x} y="16" width={b.width} height="28" fill="url(#closed)" />{/if}
        <rect
          x={b.x}
          y={16 + 28 * (1 - channel.busy_fraction)}
          width={b.width}
          height={28 * channel.busy_fraction}
          class={channel.assumed ? 'fill-sheet stroke-ink' : 'fill-ink'}
          stroke-width="1.5"
        />
        {#if channel.dfs}<line
            x1={b.x}
            x2={b.x + b.width}
            y1="47"
            y2="47"
            class="stroke-accent"
            stroke-dasharray="4 3"
            stroke-width="2"
          />{/if}
        {#if numbered[i]}
          <text x={b.middle} y="12" text-anchor="middle" font-size="12" class="fill-soft"
            >{Math.round(channel.busy_fraction * 100)}</text
          >
          <text x={b.middle} y="62" text-anchor="middle" font-size="14" class="fill-ink"
            >{channel.channel}</text
          >
        {/if}
      </g>
    {/each}
    {#each slots as slot, i (slot.channel)}
      {@const b = box(slot.centre_mhz, 1)}
      <g>
        <title>
          Zigbee {slot.channel}: {delivery(slot.worst_delivery)} from the worst device{slot.in_use
            ? '; in use'
            : ''}{slot.selectable ? '' : '; the hub does not offer it'}
        </title>
        <rect
          x={b.x}
          y="72"
          width={b.width}
          height="16"
          class={slot.in_use
            ? 'fill-accent stroke-accent'
            : slot.selectable
              ? 'fill-sheet stroke-ink'
              : 'fill-wash stroke-rule'}
          stroke-width="1.5"
        />
        {#if rules.short(slot.worst_delivery)}<path
            d="M{b.x} 72l{b.width} 16m0 -16l-{b.width} 16"
            class={slot.in_use ? 'stroke-paper' : 'stroke-accent'}
            stroke-width="1.5"
          />{/if}
        {#if numberedSlots[i] || slot.in_use}<text
            x={b.middle}
            y="104"
            text-anchor="middle"
            font-size="13"
            font-weight={slot.in_use ? 700 : 400}
            class={slot.in_use ? 'fill-accent' : 'fill-soft'}>{slot.channel}</text
          >{/if}
      </g>
    {/each}
  </svg>
</div>
