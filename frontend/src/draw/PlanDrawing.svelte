<script lang="ts">
  import { fixed, floorName } from '../lib/format'
  import type { Building, HouseView, Picture, Stand, WallLine } from '../lib/types'
  import ContourLabels from './ContourLabels.svelte'
  import PlanLevels from './PlanLevels.svelte'
  import PlacedText from './PlacedText.svelte'
  import PlanNodes from './PlanNodes.svelte'
  import PlanWalls from './PlanWalls.svelte'
  import { around, levelLabels, placeLabels, textWidth, type Label } from './labels'
  import { extent, frame, labelAt, length, outlinePath, type Box } from './plan'

  interface Props {
    building: Building
    view: HouseView
    storey: number
    stands: Record<string, Stand>
    moved?: Record<string, Stand>
    names: Record<string, string>
    places: { id: string; name: string; x_m?: number | null; y_m?: number | null; storey?: number }[]
    picture?: Picture | null
    photoBase?: string
    chosen?: string
    point?: { x_m: number; y_m: number } | null
    marks?: [number, number][]
    showOverlap?: boolean
    onpoint?: (x: number, y: number) => void
    onwall?: (wall: WallLine) => void
    ondrag?: (nodeId: string, x: number, y: number, done: boolean) => void
    onroom?: (roomId: string, dx: number, dy: number) => void
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
    photoBase = '',
    chosen = '',
    point = null,
    marks = [],
    showOverlap = false,
    onpoint,
    onwall,
    ondrag,
    onroom,
  }: Props = $props()

  let svg = $state<SVGSVGElement>()
  /** The window's height, of which the drawing takes a part at most: a tall house is drawn smaller, its text is not. */
  let screenPx = $state(800)
  let widthPx = $state(700)
  let pressed: { x: number; y: number } | null = null
  /** A room under the finger: where it was grasped, and how far it is moved. */
  let carried = $state<{ id: string; from: [number, number]; dx: number; dy: number } | null>(null)

  const rooms = $derived((building.rooms ?? []).filter((r) => r.storey === storey))
  const underlay = $derived((building.underlays ?? []).find((u) => u.storey === storey) ?? null)
  const area = $derived(
    frame([
      ...rooms.map((r) => r.outline),
      ...(underlay && photoBase
        ? [
            [
              [underlay.x_m, underlay.y_m],
              [
                underlay.x_m + underlay.width_px * underlay.metres_per_px,
                underlay.y_m - underlay.height_px * underlay.metres_per_px,
              ],
            ],
          ]
        : []),
    ]),
  )
  const things = $derived([
    ...(building.obstacles ?? []).filter((o) => o.storey === storey).map((o) => [o.x_m, o.y_m]),
    ...(building.outlets ?? []).filter((o) => o.storey === storey).map((o) => [o.x_m, o.y_m]),
    ...Object.values({ ...stands, ...moved })
      .filter((s) => s.storey === storey)
      .map((s) => [s.x_m, s.y_m]),
  ])
  /** One screen pixel in m, so that text and marks keep their size at any scale. */
  const px = $derived(Math.max(area.width / Math.max(widthPx, 200), area.height / (0.7 * screenPx)))

  const marginText = (db: number | null) =>
    db === null ? '?' : `${db < 0 ? '−' : '+'}${fixed(Math.abs(db))}`
  /** Where the labels over the levels stand: nodes first, then spots, rooms, and of the contours' values what has room. */
  const labels = $derived.by(() => {
    if (!picture) return new Map<string, Box>()
    const shownStands = Object.entries({ ...stands, ...moved }).filter(([, s]) => s.storey === storey)
    const mark = (x: number, y: number, r: number): Box => ({
      x: x - r * px,
      y: -y - r * px,
      width: 2 * r * px,
      height: 2 * r * px,
    })
    const taken = [
      ...shownStands.map(([, s]) => mark(s.x_m, s.y_m, 8)),
      ...picture.spots.map((s) => mark(s.x_m, s.y_m, 5)),
      ...(building.obstacles ?? [])
        .filter((o) => o.storey === storey)
        .map((o) => {
          const half = Math.max(o.width_m, o.depth_m ?? 0) / 2
          return { x: o.x_m - half, y: -o.y_m - half, width: 2 * half, height: 2 * half }
        }),
    ]
    const wanted: Label[] = [
      ...shownStands.map(([id, s]) => {
        const [right, left, above, below, ...more] = around(s.x_m, -s.y_m, names[id] ?? id, px * 13, px * 10)
        return { id: `node:${id}`, candidates: [above!, below!, right!, left!, ...more], must: true }
      }),
      ...picture.spots.map((s) => ({
        id: `spot:${s.place_id}`,
        candidates: around(s.x_m, -s.y_m, marginText(s.margin_db), px * 13, px * 11),
        must: true,
      })),
      ...rooms.map((room) => {
        const inner = extent(room.outline)
        const size = { width: textWidth(room.name, px * 12), height: px * 14 }
        const at = (x: number, y: number): Box => ({ x, y, ...size })
        const [left, right] = [inner.x + px * 7, inner.x + inner.width - size.width - px * 7]
        const [top, bottom] = [-inner.y - inner.height + px * 7, -inner.y - size.height - px * 5]
        const middle = (left + right) / 2
        return {
          id: `room:${room.id}`,
          candidates: [
            at(left, top),
            at(left, bottom),
            at(right, top),
            at(right, bottom),
            at(middle, top),
            at(middle, bottom),
          ],
          must: true,
        }
      }),
      ...levelLabels(picture.contours, px),
    ]
    return placeLabels(wanted, taken, area)
  })

  function metres(event: PointerEvent): [number, number] {
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg!.getScreenCTM()!.inverse())
    return [Math.round(at.x * 100) / 100, Math.round(-at.y * 100) / 100]
  }
  function grasp(event: PointerEvent, id: string) {
    if (!onroom) return
    carried = { id, from: metres(event), dx: 0, dy: 0 }
    ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  }
  function carry(event: PointerEvent) {
    if (!carried) return
    const [x, y] = metres(event)
    carried = { ...carried, dx: x - carried.from[0], dy: y - carried.from[1] }
  }
  function putDown() {
    const was = carried
    carried = null
    if (was && Math.hypot(was.dx, was.dy) > px * 8) {
      pressed = null
      onroom?.(was.id, was.dx, was.dy)
    }
  }
</script>

<svelte:window bind:innerHeight={screenPx} />

<div class="overflow-x-auto">
  <div bind:clientWidth={widthPx} class="w-full max-sm:min-w-[42rem]">
    <svg
      bind:this={svg}
      viewBox="{area.x} {area.y} {area.width} {area.height}"
      class="block max-h-[70vh] w-full touch-manipulation select-none"
      role="img"
      aria-label="Plan of the {floorName(storey)}"
      onpointerdown={(e) => (pressed = { x: e.clientX, y: e.clientY })}
      onpointerup={(e) => {
        if (pressed && Math.hypot(e.clientX - pressed.x, e.clientY - pressed.y) < 6) onpoint?.(...metres(e))
        pressed = null
      }}
    >
      {#each rooms as room (room.id)}
        {@const held = carried?.id === room.id ? carried : null}
        <!-- svelte-ignore a11y_no_static_element_interactions -->
        <path
          d={outlinePath(room.outline)}
          data-room={room.id}
          transform={held ? `translate(${held.dx} ${-held.dy})` : undefined}
          class="{room.kind === 'garden'
            ? 'fill-transparent stroke-strong'
            : held
              ? 'fill-wash stroke-accent'
              : 'fill-sheet'} {onroom ? 'cursor-move touch-none' : ''}"
          stroke-width={px}
          stroke-dasharray={room.kind === 'garden' ? `${px * 2} ${px * 4}` : undefined}
          onpointerdown={(e) => grasp(e, room.id)}
          onpointermove={carry}
          onpointerup={putDown}
        />
      {/each}
      {#if underlay && photoBase}
        <image
          href="{photoBase}/{underlay.photo_id}"
          width={underlay.width_px}
          height={underlay.height_px}
          transform="translate({underlay.x_m} {-underlay.y_m}) rotate({-(
            underlay.turn_deg ?? 0
          )}) scale({underlay.metres_per_px})"
          preserveAspectRatio="none"
          opacity="0.55"
          class="pointer-events-none"
        />
      {/if}
      {#if picture}<PlanLevels {picture} {px} {showOverlap} />{/if}
      <PlanWalls {view} {storey} {px} {chosen} {onwall} />
      {#if picture}
        {#each rooms as room (room.id)}
          {@const box = labels.get(`room:${room.id}`)}
          {#if box}<PlacedText
              text={room.name}
              area={box}
              size={px * 12}
              halo={px * 3}
              class="fill-soft"
            />{/if}
        {/each}
        <ContourLabels
          contours={picture.contours}
          designDbm={picture.design_dbm}
          {px}
          shown={(level, i) => labels.has(`level:${level}:${i}`)}
        />
        {#each picture.spots as spot (spot.place_id)}
          <path
            d="M{spot.x_m - px * 5} {-spot.y_m}h{px * 10}M{spot.x_m} {-spot.y_m - px * 5}v{px * 10}"
            class="stroke-ink"
            stroke-width={px * 2}
          />
          {@const box = labels.get(`spot:${spot.place_id}`)}
          {#if box}<PlacedText
              text={marginText(spot.margin_db)}
              area={box}
              size={px * 13}
              halo={px * 4}
              class="figure {spot.margin_db !== null && spot.margin_db < 0 ? 'fill-accent' : 'fill-ink'}"
            />{/if}
        {/each}
      {:else}
        {#each rooms as room (room.id)}
          {@const box = extent(room.outline)}
          {@const [labelX, labelY] = labelAt(box, { width: px * 100, height: px * 42 }, things)}
          <text
            x={labelX + px * 8}
            y={-labelY + px * 20}
            font-size={px * 14}
            stroke-width={px * 4}
            class="halo pointer-events-none fill-ink font-semibold">{room.name}</text
          >
          {#if box.width > px * 110}
            <text
              x={labelX + px * 8}
              y={-labelY + px * 36}
              font-size={px * 12}
              stroke-width={px * 4}
              class="halo pointer-events-none fill-soft"
              >{length(box.width, building.units)} × {length(box.height, building.units)}</text
            >
          {/if}
        {/each}
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
      <PlanNodes {stands} {moved} {names} {storey} {px} {metres} {ondrag} {labels} />
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
      {#each marks as [x, y], i (i)}
        <path
          d="M{x - px * 9} {-y}h{px * 18}M{x} {-y - px * 9}v{px * 18}"
          class="stroke-accent"
          stroke-width={px * 2.4}
        />
      {/each}
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
