<script lang="ts">
  import { rules } from '../state/rules.svelte'
  import { dbm, delivery, floorName } from '../lib/format'
  import type { Building, HouseView, Job, ZigbeeHelp } from '../lib/types'
  import PlacedText from './PlacedText.svelte'
  import PlanWalls from './PlanWalls.svelte'
  import { around, placeLabels } from './labels'
  import { frame, outlinePath } from './plan'

  /** The mesh on one storey of the house: routes as strong lines with their delivery, other links thin, predicted dashed. */
  interface Props {
    job: Job
    building: Building
    view: HouseView
    storey: number
    help: ZigbeeHelp
    showPredicted: boolean
  }
  let { job, building, view, storey, help, showPredicted }: Props = $props()
  /** The window's height, of which the drawing takes a part at most: a tall house is drawn smaller, its text is not. */
  let screenPx = $state(800)
  let widthPx = $state(500)
  const rooms = $derived(building.rooms.filter((r) => r.storey === storey))
  const area = $derived(frame(rooms.map((r) => r.outline)))
  const px = $derived(Math.max(area.width / Math.max(widthPx, 200), area.height / (0.6 * screenPx)))
  const placeOf = (id: string) => job.places.find((p) => p.id === id)

  interface End {
    id: string
    name: string
    x: number
    y: number
    spot: number
    storey: number
    kind: 'root' | 'mains' | 'leaf'
  }
  const ends = $derived.by(() => {
    const found: End[] = []
    const put = (id: string, name: string, placeId: string, kind: End['kind']) => {
      const p = placeOf(placeId)
      if (p?.x_m == null || p.y_m == null) return
      // Several at one spot stand below each other.
      const here = found.filter(
        (e) => e.storey === p.storey && Math.hypot(e.x - p.x_m!, e.spot + p.y_m!) < px * 12,
      ).length
      found.push({ id, name, x: p.x_m, y: -p.y_m + here * px * 17, spot: -p.y_m, storey: p.storey, kind })
    }
    if (job.zigbee) put('hub', 'Hub', job.zigbee.hub_place_id, 'root')
    for (const d of job.zigbee?.devices ?? [])
      put(d.id, d.name, d.place_id, d.mains_powered ? 'mains' : 'leaf')
    if (job.thread) put('border', 'Border router', job.thread.border_place_id, 'root')
    for (const d of job.thread?.devices ?? [])
      put(d.id, d.name, d.place_id, d.mains_powered ? 'mains' : 'leaf')
    return found
  })
  const end = (id: string | null) => ends.find((e) => e.id === id)
  const here = $derived(ends.filter((e) => e.storey === storey))
  const links = $derived([
    ...(job.zigbee?.links ?? []).map((l) => ({ ...l, predicted: false })),
    ...(job.thread?.links ?? []).map((l) => ({ ...l, predicted: false })),
    ...(showPredicted ? help.predicted.map((l) => ({ ...l, predicted: true })) : []),
  ])
  const routes = $derived(
    help.routes.flatMap((r) => {
      const [a, b] = [end(r.device_id), end(r.via_id)]
      return a && b && (a.storey === storey || b.storey === storey) ? [{ r, a, b }] : []
    }),
  )
  /** Where names stand: none over another or over a mark, and none outside of the drawing while there is room. */
  const labels = $derived(
    placeLabels(
      here.map((e) => ({
        id: e.id,
        candidates: around(e.x, e.y, e.name, px * 12, px * 10),
        must: true,
      })),
      here.map((e) => ({ x: e.x - px * 8, y: e.y - px * 8, width: px * 16, height: px * 16 })),
      area,
    ),
  )
  const short = (id: string) => rules.short(help.routes.find((r) => r.device_id === id)?.delivery)
</script>

<svelte:window bind:innerHeight={screenPx} />

<div bind:clientWidth={widthPx} class="min-w-0">
  <svg
    viewBox="{area.x} {area.y} {area.width} {area.height}"
    class="block max-h-[60vh] w-full"
    role="img"
    aria-label="The mesh on the {floorName(storey)}"
  >
    {#each rooms as room (room.id)}<path d={outlinePath(room.outline)} class="fill-sheet" />{/each}
    <PlanWalls {view} {storey} {px} chosen="" />
    {#each links as l (l.a_id + l.b_id + l.predicted)}
      {@const a = end(l.a_id)}
      {@const b = end(l.b_id)}
      {#if a && b && a.storey === storey && b.storey === storey}
        <line
          x1={a.x}
          y1={a.y}
          x2={b.x}
          y2={b.y}
          class="stroke-strong"
          stroke-width={px * 1}
          stroke-dasharray={l.predicted ? `${px * 3} ${px * 4}` : undefined}
          ><title>{a.name} to {b.name}: {dbm(l.rssi_dbm)}{l.predicted ? ', predicted' : ''}</title></line
        >
      {/if}
    {/each}
    {#each routes as { r, a, b } (r.device_id)}
      {@const bad = rules.short(r.hop_delivery)}
      {#if a.storey === b.storey}
        <line
          x1={a.x}
          y1={a.y}
          x2={b.x}
          y2={b.y}
          class={bad ? 'stroke-accent' : 'stroke-ink'}
          stroke-width={px * 2.5}
          stroke-dasharray={bad ? `${px * 8} ${px * 3}` : undefined}
          ><title>{a.name} through {b.name}: this hop {delivery(r.hop_delivery)}</title></line
        >
      {:else}
        {@const mine = a.storey === storey ? a : b}
        {@const other = a.storey === storey ? b : a}
        <line
          x1={mine.x}
          y1={mine.y}
          x2={mine.x + px * 14}
          y2={mine.y + (other.storey > storey ? -px * 22 : px * 22)}
          class={bad ? 'stroke-accent' : 'stroke-ink'}
          stroke-width={px * 2.5}
          ><title>{other.name}, {floorName(other.storey)}: this hop {delivery(r.hop_delivery)}</title></line
        >
      {/if}
    {/each}
    {#each here as e (e.id)}
      {#if e.kind === 'root'}
        <rect x={e.x - px * 8} y={e.y - px * 8} width={px * 16} height={px * 16} class="fill-ink" />
      {:else}
        <circle
          cx={e.x}
          cy={e.y}
          r={px * 7}
          class={e.kind === 'mains' ? 'fill-ink stroke-sheet' : 'fill-sheet stroke-ink'}
          stroke-width={px * 2}
        />
      {/if}
      <PlacedText
        text={e.name}
        area={labels.get(e.id)!}
        size={px * 12}
        halo={px * 3}
        class={short(e.id) ? 'fill-accent font-bold' : 'fill-ink'}
      />
    {/each}
  </svg>
</div>
