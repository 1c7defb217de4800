<script lang="ts">
  import { api } from '../../lib/api'
  import type { Building, HouseView, Stand, WallLine } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import RoomTools from './RoomTools.svelte'
  import WallTools from './WallTools.svelte'

  interface Props {
    call: CallState
    building: Building
    view: HouseView | null
    storey: number
    wall: WallLine | null
    tool: string
    point: { storey: number; x_m: number; y_m: number } | null
    marks: [number, number][]
  }
  let {
    call,
    building,
    view,
    storey,
    wall = $bindable(),
    tool = $bindable(),
    point = $bindable(),
    marks = $bindable(),
  }: Props = $props()

  const path = $derived({ params: { path: { call_id: call.id } } })
  const rooms = $derived((building.rooms ?? []).filter((r) => r.storey === storey))

  /** What a click on the plan puts down. */
  async function put() {
    if (!point || !tool) return
    const [kind, id] = tool.split(':') as [string, string]
    const { x_m, y_m } = point
    point = null
    if (kind === 'photo') {
      if (marks.length < 2) marks = [...marks, [x_m, y_m]]
      return
    }
    if (kind === 'opening' || kind === 'obstacle') {
      const body = { storey, x_m, y_m, [kind]: id }
      await call.change(() => api.POST('/api/calls/{call_id}/put', { ...path, body }), `put down a ${id}`)
      return
    }
    if (kind === 'node') {
      const old = call.job.nodes.find((n) => n.id === id)?.stand
      const stand: Stand = { ...(old ?? view!.new_stand), storey, x_m, y_m }
      await call.alter('nodes', id, { stand }, `placed the node ${id}`)
    } else if (kind === 'place') {
      await call.alter('places', id, { x_m, y_m, storey }, `placed the spot ${id}`)
    } else if (kind === 'outlet') {
      const name = `${rooms.length ? roomNear(x_m, y_m) : 'Socket'} ${(building.outlets ?? []).length + 1}`
      const outlet = { name, storey, x_m, y_m, power: true, cable_drops: Number(id) }
      await call.add('outlets', outlet, `added ${name}`)
    }
    tool = ''
  }
  const roomNear = (x: number, y: number) =>
    rooms.find(
      (r) =>
        x >= Math.min(...r.outline.map((p) => p[0]!)) &&
        x <= Math.max(...r.outline.map((p) => p[0]!)) &&
        y >= Math.min(...r.outline.map((p) => p[1]!)) &&
        y <= Math.max(...r.outline.map((p) => p[1]!)),
    )?.name ?? 'Socket'
  $effect(() => {
    if (point && tool) void put()
  })
  const many = $derived(tool.startsWith('opening:') || tool.startsWith('obstacle:'))
</script>

<aside class="grid min-w-0 grid-cols-[minmax(0,1fr)] content-start gap-4">
  <section class="page grid gap-2">
    <label class="grid gap-1 font-semibold"
      >Put on the plan
      <select class="field slim grow" bind:value={tool} onchange={() => (marks = [])}>
        <option value="">choose…</option>
        <optgroup label="In a wall">
          {#each view?.openings ?? [] as kind (kind)}<option value="opening:{kind}">{kind}</option>{/each}
        </optgroup>
        <optgroup label="In the way">
          {#each Object.entries(view?.obstacle_kinds ?? {}) as [kind, loss] (kind)}<option
              value="obstacle:{kind}">{kind}, {loss} dB</option
            >{/each}
        </optgroup>
        <optgroup label="Sockets and jacks">
          <option value="outlet:0">socket</option>
          <option value="outlet:1">socket with a cable</option>
          <option value="outlet:2">socket with two cables</option>
        </optgroup>
        <optgroup label="Nodes">
          {#each call.job.nodes as node (node.id)}<option value="node:{node.id}">{node.name}</option>{/each}
        </optgroup>
        <optgroup label="Spots">
          {#each call.job.places as place (place.id)}<option value="place:{place.id}">{place.name}</option
            >{/each}
        </optgroup>
      </select></label
    >
    {#if tool && !tool.startsWith('photo:')}<p class="flex items-center gap-2 font-semibold text-accent">
        Now click on the plan{many ? ', as often as you need' : ''}.
        <button class="button slim" onclick={() => (tool = '')}>Done <kbd>Esc</kbd></button>
      </p>{/if}
  </section>
  <WallTools {call} {building} {view} bind:wall />
  <RoomTools {call} {building} {storey} />
</aside>
