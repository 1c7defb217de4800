<svelte:options namespace="svg" />

<script lang="ts">
  import type { HouseView, WallLine } from '../lib/types'
  import { openingEnds, outlinePath } from './plan'

  interface Props {
    view: HouseView
    storey: number
    px: number
    chosen: string
    onwall?: (wall: WallLine) => void
  }
  let { view, storey, px, chosen, onwall }: Props = $props()
  const wallKey = (w: WallLine) => `${w.room_id}/${w.edge}/${w.to_room_id ?? ''}`
</script>

{#each view.walls.filter((w) => w.storey === storey) as wall (`${wallKey(wall)}/${wall.start}`)}
  {@const key = wallKey(wall)}
  {@const line = { x1: wall.start[0], y1: -wall.start[1]!, x2: wall.end[0], y2: -wall.end[1]! }}
  <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
  <g
    onclick={() => onwall?.(wall)}
    onpointerdown={(e) => onwall && e.stopPropagation()}
    class={onwall ? 'cursor-pointer' : ''}
    data-wall={key}
  >
    {#if onwall}<line {...line} stroke="transparent" stroke-width={px * 14} />{/if}
    <line
      {...line}
      class={chosen === key ? 'stroke-accent' : 'stroke-ink'}
      stroke-width={px * (wall.role === 'inner' ? 2 : 4)}
      stroke-dasharray={wall.made_of === 'no wall' ? `${px * 2} ${px * 5}` : undefined}
    />
    {#if wall.role === 'party'}<line
        {...line}
        class="stroke-sheet"
        stroke-width={px * 2}
        stroke-dasharray={`${px * 3} ${px * 6}`}
      />{/if}
    {#each wall.openings as opening (opening.id)}
      {@const [x1, y1, x2, y2] = openingEnds(wall, opening.at_m, opening.width_m ?? 0.9)}
      <line {x1} {y1} {x2} {y2} class="stroke-sheet" stroke-width={px * 5} />
      <line
        {x1}
        {y1}
        {x2}
        {y2}
        class="stroke-ink"
        stroke-width={px * 1.5}
        stroke-dasharray={opening.kind.includes('window') ? undefined : `${px * 3} ${px * 3}`}
      />
    {/each}
  </g>
{/each}
{#each view.obstacles.filter((o) => o.storey === storey) as shape (shape.id)}
  <g>
    <title>{shape.id}: {shape.loss_db} dB</title>
    <path d={outlinePath(shape.outline)} class="fill-wash stroke-ink" stroke-width={px * 1.4} />
  </g>
{/each}
