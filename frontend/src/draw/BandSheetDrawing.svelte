<script lang="ts">
  import { dbm, mbps } from '../lib/format'
  import type { Joining } from '../lib/types'
  import { rules } from '../state/rules.svelte'

  /** Devices down, bands across: a full mark where a device is, an open one where it could be, with its level there. */
  let { joining, nameOf }: { joining: Joining[]; nameOf: (id: string) => string } = $props()
  const ROW = 30
  let width = $state(700)
  const left = $derived(width < 560 ? 104 : 180)
  const bands = $derived(rules.offered.bands)
  const column = $derived((width - left - 8) / 3)
  const cut = (text: string) =>
    text.length > left / 7.6 ? `${text.slice(0, Math.floor(left / 7.6) - 1)}…` : text
</script>

<div bind:clientWidth={width} class="mt-2">
  <svg {width} height={joining.length * ROW + 30} role="img" aria-label="Devices by band">
    {#each bands as band, b (band)}
      <text x={left + b * column + 24} y="14" font-size="13" class="fill-soft font-semibold">{band}</text>
      <line
        x1={left + b * column}
        x2={left + b * column}
        y1="0"
        y2={joining.length * ROW + 26}
        class="stroke-rule"
      />
    {/each}
    {#each joining as j, i (j.device_id)}
      {@const y = 26 + i * ROW + ROW / 2}
      <line x1="0" x2={width} y1={y + ROW / 2} y2={y + ROW / 2} class="stroke-rule" />
      <text x="4" y={y + 4} font-size="13" class={j.radio_id ? 'fill-ink' : 'fill-accent font-semibold'}
        ><title>{nameOf(j.device_id)}: joins {j.name}</title>{cut(nameOf(j.device_id))}</text
      >
      {#each j.bands as cell, b (cell.band)}
        {@const x = left + b * column + 12}
        {#if cell.can_use && cell.level_dbm !== null}
          {#if cell.holds}
            <rect x={x - 6} y={y - 6} width="12" height="12" class="fill-accent" />
          {:else}<rect
              x={x - 5}
              y={y - 5}
              width="10"
              height="10"
              class="fill-none stroke-ink"
              stroke-width="1.5"
            />{/if}
          <text x={x + 12} y={y + 4} font-size="12" class={cell.holds ? 'fill-ink font-bold' : 'fill-soft'}
            >{dbm(cell.level_dbm)}{width > 620 && cell.clear_mbps !== null
              ? `, ${mbps(cell.clear_mbps)}`
              : ''}</text
          >
        {:else if cell.can_use}<text x={x - 4} y={y + 4} font-size="12" class="fill-soft">not heard</text>
        {:else}<line x1={x - 4} x2={x + 4} y1={y} y2={y} class="stroke-strong" />{/if}
      {/each}
    {/each}
  </svg>
  <p class="text-sm text-soft">
    Full square: is there. Open: could be. Dash: cannot. Level of the loudest own radio, and what a clear
    channel would carry.
  </p>
</div>
