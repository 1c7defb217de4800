<svelte:options namespace="svg" />

<script lang="ts">
  import type { Box } from './plan'

  /** A label where it was placed: its letters fill the box that was kept free for it. */
  interface Props {
    text: string
    area: Box
    /** Font size and the width of the halo, in the drawing's units. */
    size: number
    halo: number
    class?: string
  }
  let { text, area, size, halo, class: look = '' }: Props = $props()
</script>

<text
  x={area.x + area.width / 2}
  y={area.y + size * 0.92}
  font-size={size}
  text-anchor="middle"
  stroke-width={halo}
  data-label
  class="halo pointer-events-none {look}">{text}</text
>
