<script lang="ts">
  import type { Building, HouseView, Picture, Stand, WallLine } from '../lib/types'
  import { extent, frame, length, openingEnds, outlinePath, pathOf } from './plan'

  interface Props {
    building: Building
    view: HouseView
    storey: number
    stands: Record<string, Stand>
    moved?: Record<string, Stand>
    names: Record<string, string>
    places: { id: string; name: string; x_m?: number | null; y_m?: number | null; storey?: number }[]
    picture?: Picture | null
    chosen?: string
    point?: { x_m: number; y_m: number } | null
    showOverlap?: boolean
    onpoint?: (x: number, y: number) => void
    onwall?: (wall: WallLine) => void
    ondrag?: (nodeId: string, x: number, y: number, done: boolean) => void
  }
  let {
    building,
    view,
    storey,
    stands,
    moved = {},
    names,
    places,
    picture = null,
    chosen = '',
    point = null,
    showOverlap = false,
    onpoint,
    onwall,
    ondrag,
  }: Props = $props()

  let svg = $state<SVGSVGElement>()
  let widthPx = $state(700)
  let dragging = $state<string | null>(null)
  let pressed: { x: number; y: number } | null = null

  const rooms = $derived((building.rooms ?? []).filter((r) => r.storey === storey))
  const area = $derived(frame(rooms.map((r) => r.outline)))
  /** One screen pixel in m, so that text and marks keep their size at any scale. */
  const px = $derived(area.width / Math.max(widthPx, 200))
  const wallKey = (w: WallLine) => `${w.room_id}/${w.edge}/${w.to_room_id ?? ''}`

  function metres(event: PointerEvent): [number, number] {
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg!.getScreenCTM()!.inverse())
    return [Math.round(at.x * 100) / 100, Math.round(-at.y * 100) / 100]
  }
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
  const isDesign = (level: number) => level === picture?.design_dbm
</script>

<div class="overflow-x-auto">
  <div bind:clientWidth={widthPx} class="w-full max-sm:min-w-[42rem]">
    <svg
      bind:this={svg}
      viewBox="{area.x} {area.y} {area.width} {area.height}"
      class="block max-h-[70vh] w-full touch-manipulation select-none"
      role="img"
      aria-label="Plan of storey {storey}"
      onpointerdown={(e) => (pressed = { x: e.clientX, y: e.clientY })}
      onpointerup={(e) => {
        if (pressed && Math.hypot(e.clientX - pressed.x, e.clientY - pressed.y) < 6 && !dragging)
          onpoint?.(...metres(e))
        pressed = null
      }}
    >
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
      {#each rooms as room (room.id)}
        <path
          d={outlinePath(room.outline)}
          class={room.kind === 'garden' ? 'fill-none stroke-strong' : 'fill-sheet'}
          stroke-width={px}
          stroke-dasharray={room.kind === 'garden' ? `${px * 2} ${px * 4}` : undefined}
        />
      {/each}
      {#if picture}
        <path
          d={picture.unsure.map((r) => pathOf(r, true)).join('')}
          fill="url(#unsure)"
          fill-rule="evenodd"
        />
        {#if showOverlap}
          <path
            d={picture.overlap.map((r) => pathOf(r, true)).join('')}
            fill="url(#overlap)"
            fill-rule="evenodd"
          />
        {/if}
        {#each picture.contours as contour (contour.level_dbm)}
          {#each contour.lines as line, i (i)}
            <path
              d={pathOf(line)}
              fill="none"
              class={isDesign(contour.level_dbm) ? 'stroke-accent' : 'stroke-ink'}
              stroke-width={px *
                (isDesign(contour.level_dbm) ? 2.6 : contour.level_dbm % 10 === 0 ? 1.4 : 0.8)}
              stroke-dasharray={contour.level_dbm <= (picture?.handover_dbm ?? 0)
                ? `${px * 5} ${px * 3}`
                : undefined}
            />
          {/each}
        {/each}
      {/if}
      {#each view.walls.filter((w) => w.storey === storey) as wall (`${wallKey(wall)}/${wall.start}`)}
        {@const key = wallKey(wall)}
        <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
        <g onclick={() => onwall?.(wall)} class={onwall ? 'cursor-pointer' : ''} data-wall={key}>
          <line
            x1={wall.start[0]}
            y1={-wall.start[1]!}
            x2={wall.end[0]}
            y2={-wall.end[1]!}
            stroke="transparent"
            stroke-width={px * 14}
          />
          <line
            x1={wall.start[0]}
            y1={-wall.start[1]!}
            x2={wall.end[0]}
            y2={-wall.end[1]!}
            class={chosen === key ? 'stroke-accent' : 'stroke-ink'}
            stroke-width={px * (wall.role === 'inner' ? 2 : 4)}
            stroke-dasharray={wall.made_of === 'no wall' ? `${px * 2} ${px * 5}` : undefined}
          />
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
      {#if !picture}
        {#each rooms as room (room.id)}
          {@const area = extent(room.outline)}
          <text
            x={area.x + px * 8}
            y={-(area.y + area.height) + px * 20}
            font-size={px * 14}
            stroke-width={px * 4}
            class="halo fill-ink font-semibold">{room.name}</text
          >
          {#if area.width > px * 110}
            <text
              x={area.x + px * 8}
              y={-(area.y + area.height) + px * 36}
              font-size={px * 12}
              stroke-width={px * 4}
              class="halo fill-soft"
              >{length(area.width, building.units)} × {length(area.height, building.units)}</text
            >
          {/if}
        {/each}
      {/if}
      {#if picture}
        {#each picture.contours as contour (contour.level_dbm)}
          {#each contour.labels as label, i (i)}
            {@const [x, y, angle] = label as [number, number, number]}
            <text
              {x}
              y={-y}
              transform="rotate({-angle} {x} {-y})"
              font-size={px * 12}
              text-anchor="middle"
              dominant-baseline="central"
              class="halo font-semibold {isDesign(contour.level_dbm) ? 'fill-accent' : 'fill-ink'}"
              stroke-width={px * 4}>−{-contour.level_dbm}</text
            >
          {/each}
        {/each}
        {#each picture.spots as spot (spot.place_id)}
          <path
            d="M{spot.x_m - px * 5} {-spot.y_m}h{px * 10}M{spot.x_m} {-spot.y_m - px * 5}v{px * 10}"
            class="stroke-ink"
            stroke-width={px * 2}
          />
          <text
            x={spot.x_m + px * 8}
            y={-spot.y_m - px * 6}
            font-size={px * 13}
            stroke-width={px * 4}
            class="halo figure {spot.margin_db !== null && spot.margin_db < 0 ? 'fill-accent' : 'fill-ink'}"
            >{spot.margin_db === null
              ? '?'
              : `${spot.margin_db < 0 ? '−' : '+'}${Math.abs(spot.margin_db).toFixed(0)}`}</text
          >
        {/each}
      {:else}
        {#each places.filter((p) => (p.storey ?? 0) === storey && p.x_m != null) as place (place.id)}
          <path
            d="M{place.x_m! - px * 4} {-place.y_m!}h{px * 8}M{place.x_m} {-place.y_m! - px * 4}v{px * 8}"
            class="stroke-accent"
            stroke-width={px * 1.6}
          />
        {/each}
        {#each (building.outlets ?? []).filter((o) => o.storey === storey) as outlet (outlet.id)}
          <circle
            cx={outlet.x_m}
            cy={-outlet.y_m}
            r={px * 4}
            class="stroke-ink"
            fill="none"
            stroke-width={px * 1.4}
          />
          {#if outlet.cable_drops}<circle
              cx={outlet.x_m}
              cy={-outlet.y_m}
              r={px * 1.8}
              class="fill-ink"
            />{/if}
        {/each}
      {/if}
      {#each Object.entries( { ...stands, ...moved } ).filter(([, s]) => s.storey === storey) as [nodeId, stand] (nodeId)}
        {@const on = nodeId in moved}
        <!-- svelte-ignore a11y_no_static_element_interactions -->
        <g
          data-node={nodeId}
          class={ondrag ? 'cursor-grab touch-none' : ''}
          onpointerdown={(e) => grab(e, nodeId)}
          onpointermove={(e) => drag(e, false)}
          onpointerup={(e) => {
            e.stopPropagation()
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
            {@const to = ((rod.heading_deg ?? 0) * Math.PI) / 180}
            <line
              x1={stand.x_m + px * (i * 5 - 3)}
              y1={-stand.y_m}
              x2={stand.x_m + px * (i * 5 - 3) + px * 18 * lean * Math.sin(to)}
              y2={-stand.y_m - px * 18 * lean * Math.cos(to) - px * 12 * (1 - lean)}
              class="stroke-accent"
              stroke-width={px * 2}
            />
          {/each}
          <text
            x={stand.x_m}
            y={-stand.y_m + px * 21}
            font-size={px * 13}
            text-anchor="middle"
            stroke-width={px * 4}
            class="halo fill-ink font-semibold">{names[nodeId] ?? nodeId}</text
          >
        </g>
      {/each}
      {#if point}
        <circle
          cx={point.x_m}
          cy={-point.y_m}
          r={px * 7}
          fill="none"
          class="stroke-accent"
          stroke-width={px * 2.4}
        />
      {/if}
      <g transform="translate({area.x + px * 12} {area.y + area.height - px * 10})">
        <path
          d="M0 0v{-px * 5}M0 0h{1}M1 0v{-px * 5}"
          class="stroke-ink"
          fill="none"
          stroke-width={px * 1.4}
        />
        <text x={1 + px * 6} y="0" font-size={px * 12} class="fill-soft">1 m</text>
      </g>
    </svg>
  </div>
</div>

<style>
  .halo {
    paint-order: stroke;
    stroke: var(--sheet);
    stroke-linejoin: round;
  }
</style>
