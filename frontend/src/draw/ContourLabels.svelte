<svelte:options namespace="svg" />

<script lang="ts">
  import type { Contour } from '../lib/types'

  /** The values on contour lines; y is turned over. */
  let { contours, designDbm, px }: { contours: Contour[]; designDbm: number; px: number } = $props()
</script>

{#each contours as contour (contour.level_dbm)}
  {#each contour.labels as label, i (i)}
    {@const [x, y, angle] = label as [number, number, number]}
    <text
      {x}
      y={-y}
      transform="rotate({-angle} {x} {-y})"
      font-size={px * 12}
      text-anchor="middle"
      dominant-baseline="central"
      class="halo font-semibold {contour.level_dbm === designDbm ? 'fill-accent' : 'fill-ink'}"
      stroke-width={px * 4}>−{-contour.level_dbm}</text
    >
  {/each}
{/each}
