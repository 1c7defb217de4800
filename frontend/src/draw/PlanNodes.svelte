<svelte:options namespace="svg" />

<script lang="ts">
  import type { Stand } from '../lib/types'
  import PlacedText from './PlacedText.svelte'
  import { around } from './labels'
  import type { Box } from './plan'

  interface Props {
    stands: Record<string, Stand>
    moved: Record<string, Stand>
    names: Record<string, string>
    storey: number
    px: number
    metres: (event: PointerEvent) => [number, number]
    ondrag?: (nodeId: string, x: number, y: number, done: boolean) => void
    /** Where names stand, by "node:" and the node. */
    labels: Map<string, Box>
  }
  let { stands, moved, names, storey, px, metres, ondrag, labels }: Props = $props()
  /** Under its mark, where no place was found for a name. */
  const below = (stand: Stand, name: string) => around(stand.x_m, -stand.y_m, name, px * 13, px * 8)[2]!
  let dragging = $state<string | null>(null)

  function grab(event: PointerEvent, nodeId: string) {
    if (!ondrag) return
    event.stopPropagation()
    dragging = nodeId
    ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  }
  function drag(event: PointerEvent, done: boolean) {
    if (!dragging) return
    ondrag?.(dragging, ...metres(event), done)
    if (done) dragging = null
  }
</script>

{#each Object.entries( { ...stands, ...moved } ).filter(([, s]) => s.storey === storey) as [nodeId, stand] (nodeId)}
  {@const on = nodeId in moved}
  <!-- svelte-ignore a11y_no_static_element_interactions -->
  <g
    data-node={nodeId}
    class={ondrag ? 'cursor-grab touch-none' : ''}
    onpointerdown={(e) => grab(e, nodeId)}
    onpointermove={(e) => drag(e, false)}
    onpointerup={(e) => {
      if (dragging) e.stopPropagation()
      drag(e, true)
    }}
  >
    {#if on && stands[nodeId]?.storey === storey}
      <line
        x1={stands[nodeId].x_m}
        y1={-stands[nodeId].y_m}
        x2={stand.x_m}
        y2={-stand.y_m}
        class="stroke-accent"
        stroke-width={px * 1.4}
        stroke-dasharray="{px * 4} {px * 3}"
      />
    {/if}
    <circle cx={stand.x_m} cy={-stand.y_m} r={px * 20} fill="transparent" />
    <rect
      x={stand.x_m - px * 7}
      y={-stand.y_m - px * 7}
      width={px * 14}
      height={px * 14}
      class={on ? 'fill-accent stroke-ink' : 'fill-ink'}
      stroke-width={px}
    />
    {#each stand.antennas ?? [] as rod, i (i)}
      {@const lean = Math.sin(((rod.tilt_deg ?? 0) * Math.PI) / 180)}
      {@const to = ((rod.azimuth_deg ?? 0) * Math.PI) / 180}
      <line
        x1={stand.x_m + px * (i * 5 - 3)}
        y1={-stand.y_m}
        x2={stand.x_m + px * (i * 5 - 3) + px * 18 * lean * Math.sin(to)}
        y2={-stand.y_m - px * 18 * lean * Math.cos(to) - px * 12 * (1 - lean)}
        class="stroke-accent"
        stroke-width={px * 2}
      />
    {/each}
    <PlacedText
      text={names[nodeId] ?? nodeId}
      area={labels.get(`node:${nodeId}`) ?? below(stand, names[nodeId] ?? nodeId)}
      size={px * 13}
      halo={px * 4}
      class="fill-ink font-semibold"
    />
  </g>
{/each}
