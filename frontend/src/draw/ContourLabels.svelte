<svelte:options namespace="svg" />

<script lang="ts">
  import type { Contour } from '../lib/types'

  /** The values on contour lines, those that have room; y is turned over. */
  interface Props {
    contours: Contour[]
    designDbm: number
    px: number
    shown?: (level: number, i: number) => boolean
  }
  let { contours, designDbm, px, shown = () => true }: Props = $props()
</script>

{#each contours as contour (contour.level_dbm)}
  {#each contour.labels as label, i (i)}
    {@const [x, y, angle] = label as [number, number, number]}
    {#if shown(contour.level_dbm, i)}<text
        {x}
        y={-y}
        transform="rotate({-angle} {x} {-y})"
        font-size={px * 12}
        text-anchor="middle"
        dominant-baseline="central"
        class="halo font-semibold {contour.level_dbm === designDbm ? 'fill-accent' : 'fill-ink'}"
        stroke-width={px * 4}
        data-label>−{-contour.level_dbm}</text
      >{/if}
  {/each}
{/each}
