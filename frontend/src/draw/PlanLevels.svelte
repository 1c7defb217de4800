<svelte:options namespace="svg" />

<script lang="ts">
  import type { Picture } from '../lib/types'
  import { unbunched } from './labels'
  import { pathOf } from './plan'

  /** The part under the walls: contours, what is uncertain, where nodes overlap. */
  let { picture, px, showOverlap }: { picture: Picture; px: number; showOverlap: boolean } = $props()
  /** Behind metal lines crowd: those between are left out where they would run into one. */
  const contours = $derived(unbunched(picture.contours, picture.design_dbm, px * 5))
  const isDesign = (level: number) => level === picture.design_dbm
</script>

<defs>
  <pattern
    id="unsure"
    width={px * 7}
    height={px * 7}
    patternUnits="userSpaceOnUse"
    patternTransform="rotate(45)"
  >
    <line x1="0" y1="0" x2="0" y2={px * 7} class="stroke-strong" stroke-width={px} />
  </pattern>
  <pattern id="overlap" width={px * 9} height={px * 9} patternUnits="userSpaceOnUse">
    <circle cx={px * 2} cy={px * 2} r={px * 1.1} class="fill-rule" />
  </pattern>
</defs>
<path d={picture.unsure.map((r) => pathOf(r, true)).join('')} fill="url(#unsure)" fill-rule="evenodd" />
{#if showOverlap}
  <path d={picture.overlap.map((r) => pathOf(r, true)).join('')} fill="url(#overlap)" fill-rule="evenodd" />
{/if}
{#each contours as contour (contour.level_dbm)}
  <path
    data-contour={contour.level_dbm}
    d={contour.lines.map((line) => pathOf(line)).join('')}
    fill="none"
    class={isDesign(contour.level_dbm) ? 'stroke-accent' : 'stroke-ink'}
    stroke-width={px * (isDesign(contour.level_dbm) ? 2.6 : contour.level_dbm % 10 === 0 ? 1.4 : 0.8)}
    stroke-dasharray={contour.level_dbm <= picture.handover_dbm ? `${px * 5} ${px * 3}` : undefined}
  />
{/each}
