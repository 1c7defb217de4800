<script lang="ts">
  import { X } from '@lucide/svelte'
  import { length } from '../../draw/plan'
  import { api, ask } from '../../lib/api'
  import { db } from '../../lib/format'
  import { identifier } from '../../lib/kit'
  import type { Building, HouseView, Stand, WallLine } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { notices } from '../../state/notices.svelte'

  interface Props {
    call: CallState
    building: Building
    view: HouseView | null
    storey: number
    wall: WallLine | null
    tool: string
    point: { storey: number; x_m: number; y_m: number } | null
  }
  let {
    call,
    building,
    view,
    storey,
    wall = $bindable(),
    tool = $bindable(),
    point = $bindable(),
  }: Props = $props()

  let line = $state('')
  let besideId = $state<string | null>(null)
  let box = $state<HTMLInputElement>()
  const rooms = $derived((building.rooms ?? []).filter((r) => r.storey === storey))
  const path = $derived({ params: { path: { call_id: call.id } } })

  async function typed(event: SubmitEvent) {
    event.preventDefault()
    try {
      const body = { line, storey, beside_id: besideId }
      const before = new Set((building.rooms ?? []).map((r) => r.id))
      const found = await ask(api.POST('/api/calls/{call_id}/rooms', { ...path, body }))
      call.take(found)
      const room = (found.job.building?.rooms ?? []).find((r) => !before.has(r.id))
      besideId = room && room.storey === storey ? room.id : null
      notices.say(`Added ${room?.name ?? 'the room'}.`)
      line = ''
      box?.focus()
    } catch (error) {
      notices.fail(error)
    }
  }

  const change = (part: Partial<Building>, summary: string) =>
    call.edit({ ...call.job, building: { ...building, ...part } }, summary)

  function removeRoom(id: string, name: string) {
    return change(
      {
        rooms: (building.rooms ?? []).filter((r) => r.id !== id),
        wall_changes: (building.wall_changes ?? []).filter((w) => w.room_id !== id && w.to_room_id !== id),
        openings: (building.openings ?? []).filter((o) => o.room_id !== id),
      },
      `removed the room ${name}`,
    )
  }

  let material = $state('brick')
  let thicknessMm = $state(100)
  let leaves = $state(1)
  $effect(() => {
    if (!wall) return
    material = wall.build?.material ?? 'open'
    thicknessMm = (wall.build?.thickness_m ?? 0.1) * 1000
    leaves = wall.build?.leaves ?? 1
  })
  async function changeWall(event: SubmitEvent) {
    event.preventDefault()
    if (!wall) return
    const { room_id, edge, to_room_id } = wall
    const rest = (building.wall_changes ?? []).filter(
      (w) => !(w.room_id === room_id && w.edge === edge && (w.to_room_id ?? null) === to_room_id),
    )
    const build =
      material === 'open'
        ? null
        : { material: material as 'brick', thickness_m: Math.round(thicknessMm * 10) / 10_000, leaves }
    await change(
      { wall_changes: [...rest, { room_id, edge, to_room_id, build }] },
      `changed a wall of ${roomName(room_id)}`,
    )
  }
  const roomName = (id: string | null) => building.rooms?.find((r) => r.id === id)?.name ?? 'outside'

  /** What a click on the plan puts down. */
  async function put() {
    if (!point || !tool) return
    const [kind, id] = tool.split(':') as [string, string]
    const { x_m, y_m } = point
    point = null
    const job = call.job
    if (kind === 'node') {
      const old = job.nodes.find((n) => n.id === id)?.stand
      const stand: Stand = { ...(old ?? view!.new_stand), storey, x_m, y_m }
      await call.edit(
        { ...job, nodes: job.nodes.map((n) => (n.id === id ? { ...n, stand } : n)) },
        `placed the node ${id}`,
      )
    } else if (kind === 'place') {
      const places = job.places.map((p) => (p.id === id ? { ...p, x_m, y_m, storey } : p))
      await call.edit({ ...job, places }, `placed the spot ${id}`)
    } else if (kind === 'outlet') {
      const taken = (building.outlets ?? []).map((o) => o.id)
      const name = `${rooms.length ? roomNear(x_m, y_m) : 'Socket'} ${taken.length + 1}`
      const outlet = {
        id: identifier(name, taken),
        name,
        storey,
        x_m,
        y_m,
        power: true,
        cable_drops: Number(id),
      }
      await change({ outlets: [...(building.outlets ?? []), outlet] }, `added ${name}`)
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
</script>

<aside class="grid min-w-0 grid-cols-[minmax(0,1fr)] content-start gap-4">
  <form class="page grid gap-2" onsubmit={typed}>
    <label class="grid gap-1"
      ><span class="font-semibold">Room, width, depth <kbd>/</kbd></span>
      <input
        id="typed-room"
        class="field text-lg"
        bind:this={box}
        bind:value={line}
        placeholder="kitchen 4.2 3.1"
        autocomplete="off"
        required
        maxlength="200"
      /></label
    >
    <label class="flex items-center gap-2 text-sm text-soft"
      >beside
      <select class="field slim grow text-ink" bind:value={besideId}>
        <option value={null}>the last one</option>
        {#each rooms as room (room.id)}<option value={room.id}>{room.name}</option>{/each}
      </select>
      <button class="button slim">Add</button></label
    >
    <p class="text-sm text-soft">
      Or say where: “kitchen 4.2 3.1 behind hall”, “bath 2 2 left of landing”, “landing 2 5 above hall”. Feet
      as 13' 9".
    </p>
  </form>
  <section class="page grid gap-2">
    <h2>House</h2>
    <div class="flex flex-wrap gap-2">
      <select
        class="field slim"
        aria-label="House type"
        value={building.house_type ?? 'brick terrace'}
        onchange={(e) =>
          change({ house_type: e.currentTarget.value as Building['house_type'] }, 'changed the house type')}
      >
        {#each view?.house_types ?? [] as type (type)}<option>{type}</option>{/each}
      </select>
      <select
        class="field slim"
        aria-label="Units"
        value={building.units ?? 'metric'}
        onchange={(e) => change({ units: e.currentTarget.value as Building['units'] }, 'changed the units')}
        ><option value="metric">metres</option><option value="feet">feet</option></select
      >
      <span class="self-center text-sm text-soft">{view?.area_m2.toFixed(0)} m² of rooms</span>
    </div>
    <select class="field slim" aria-label="Put on the plan" bind:value={tool}>
      <option value="">Put on the plan…</option>
      {#each call.job.nodes as node (node.id)}<option value="node:{node.id}">node: {node.name}</option>{/each}
      {#each call.job.places as place (place.id)}<option value="place:{place.id}">spot: {place.name}</option
        >{/each}
      <option value="outlet:0">a socket</option>
      <option value="outlet:1">a socket with a cable drop</option>
    </select>
    {#if tool}<p class="font-semibold text-accent">Now click on the plan.</p>{/if}
  </section>
  {#if wall}
    <form class="page grid gap-2" onsubmit={changeWall}>
      <div class="flex items-center justify-between">
        <h2>Wall</h2>
        <button type="button" class="button slim" aria-label="Close" onclick={() => (wall = null)}
          ><X size={14} /></button
        >
      </div>
      <p class="text-sm">
        {roomName(wall.room_id)} / {roomName(wall.to_room_id)}, {wall.role}: {wall.made_of}
      </p>
      <p class="figure text-sm">
        {#each Object.entries(wall.loss_db) as [b, loss] (b)}<span class="mr-3">{b} {db(loss, 1)}</span
          >{/each}
      </p>
      <div class="flex flex-wrap items-end gap-2">
        <select class="field slim" aria-label="Material" bind:value={material}
          >{#each view?.materials ?? [] as m (m)}<option value={m}>{m === 'open' ? 'no wall' : m}</option
            >{/each}</select
        >
        {#if material !== 'open'}
          <label class="flex items-center gap-1 text-sm text-soft"
            >mm<input
              class="field slim w-20 text-ink"
              type="number"
              min="0.1"
              step="any"
              max="2000"
              bind:value={thicknessMm}
            /></label
          >
          <label class="flex items-center gap-1 text-sm text-soft"
            >leaves<input
              class="field slim w-14 text-ink"
              type="number"
              min="1"
              max="6"
              bind:value={leaves}
            /></label
          >
        {/if}
        <button class="button slim">Change</button>
      </div>
    </form>
  {/if}
  <section class="page">
    <h2 class="mb-2">Rooms here</h2>
    <ul class="grid gap-1 text-sm">
      {#each rooms as room (room.id)}
        <li class="flex items-center gap-2">
          <span class="grow">{room.name}{room.kind === 'room' ? '' : ` (${room.kind})`}</span>
          <span class="text-soft"
            >{length(
              Math.hypot(
                room.outline[1]![0]! - room.outline[0]![0]!,
                room.outline[1]![1]! - room.outline[0]![1]!,
              ),
              building.units ?? 'metric',
            )}</span
          >
          <button
            class="button slim"
            aria-label="Remove {room.name}"
            onclick={() => removeRoom(room.id, room.name)}><X size={14} /></button
          >
        </li>
      {:else}
        <li class="text-soft">
          None yet. Type the first one above: it starts at the house's front left corner.
        </li>
      {/each}
    </ul>
  </section>
</aside>
