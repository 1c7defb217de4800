<script lang="ts">
  import { X } from '@lucide/svelte'
  import { extent, inMetres, inUnits } from '../../draw/plan'
  import { api, ask } from '../../lib/api'
  import type { Building, Room } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { notices } from '../../state/notices.svelte'
  import NumberCell from '../../parts/NumberCell.svelte'

  let { call, building, storey }: { call: CallState; building: Building; storey: number } = $props()
  let line = $state('')
  let besideId = $state<string | null>(null)
  let box = $state<HTMLInputElement>()
  const rooms = $derived((building.rooms ?? []).filter((r) => r.storey === storey))
  const path = $derived({ params: { path: { call_id: call.id } } })
  const units = $derived(building.units ?? 'metric')
  const shown = (m: number) => inUnits(m, units)

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
  async function resize(room: Room, width: number, depth: number) {
    const body = { room_id: room.id, width_m: inMetres(width, units), depth_m: inMetres(depth, units) }
    await call.change(
      () => api.POST('/api/calls/{call_id}/rooms/resize', { ...path, body }),
      `${room.name} has another size`,
    )
  }
  const remove = (room: Room) =>
    call.change(
      () =>
        api.DELETE('/api/calls/{call_id}/rooms/{room_id}', {
          params: { path: { call_id: call.id, room_id: room.id } },
        }),
      `removed ${room.name}`,
    )
</script>

<form class="page grid grid-cols-[minmax(0,1fr)] gap-2" onsubmit={typed}>
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
    Or say where: “kitchen 4.2 3.1 behind hall”, “landing 2 5 above hall”. Feet as 13' 9". On the plan, drag a
    room: it snaps, and what stands in it goes along.
  </p>
  <ul class="grid grid-cols-[minmax(0,1fr)] gap-1 text-sm" aria-label="Rooms here">
    {#each rooms as room (room.id)}
      {@const box = extent(room.outline)}
      {@const rectangle = room.outline.length === 4}
      <li class="flex items-center gap-1">
        <span class="min-w-0 grow truncate">{room.name}{room.kind === 'room' ? '' : ` (${room.kind})`}</span>
        <NumberCell
          class="field slim w-14 text-right"
          step="any"
          min="0.3"
          disabled={!rectangle}
          aria-label="Width of {room.name}"
          value={shown(box.width)}
          onpick={(n) => resize(room, n, shown(box.height))}
        />
        ×
        <NumberCell
          class="field slim w-14 text-right"
          step="any"
          min="0.3"
          disabled={!rectangle}
          aria-label="Depth of {room.name}"
          value={shown(box.height)}
          onpick={(n) => resize(room, shown(box.width), n)}
        />
        <span class="text-soft">{units === 'feet' ? 'ft' : 'm'}</span>
        <button type="button" class="button slim" aria-label="Remove {room.name}" onclick={() => remove(room)}
          ><X size={14} /></button
        >
      </li>
    {:else}
      <li class="text-soft">
        None yet. Type the first one above: it starts at the house's front left corner.
      </li>
    {/each}
  </ul>
</form>
