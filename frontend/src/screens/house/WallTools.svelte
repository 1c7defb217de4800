<script lang="ts">
  import { X } from '@lucide/svelte'
  import { api } from '../../lib/api'
  import { db } from '../../lib/format'
  import type { Building, HouseView, WallLine } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'

  interface Props {
    call: CallState
    building: Building
    view: HouseView | null
    wall: WallLine | null
  }
  let { call, building, view, wall = $bindable() }: Props = $props()
  let material = $state('brick')
  let thicknessMm = $state(100)
  let leaves = $state(1)
  $effect(() => {
    if (!wall) return
    material = wall.build?.material ?? 'open'
    thicknessMm = (wall.build?.thickness_m ?? 0.1) * 1000
    leaves = wall.build?.leaves ?? 1
  })
  const roomName = (id: string | null) => building.rooms?.find((r) => r.id === id)?.name ?? 'outside'

  async function changeWall(event: SubmitEvent) {
    event.preventDefault()
    if (!wall) return
    const { room_id, edge, to_room_id } = wall
    const build =
      material === 'open'
        ? null
        : { material: material as 'brick', thickness_m: Math.round(thicknessMm * 10) / 10_000, leaves }
    const summary = `changed a wall of ${roomName(room_id)}`
    const params = { path: { call_id: call.id } }
    const body = { wall: { room_id, edge, to_room_id, build }, ...call.madeOn(summary) }
    await call.change(() => api.POST('/api/calls/{call_id}/walls', { params, body }), summary)
  }
</script>

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
      {#each Object.entries(wall.loss_db) as [b, loss] (b)}<span class="mr-3">{b} {db(loss, 1)}</span>{/each}
    </p>
    <div class="flex flex-wrap items-end gap-2">
      <Picker
        class="field slim"
        aria-label="Material"
        bind:value={material}
        options={(view?.materials ?? []).map((m) => [m, m === 'open' ? 'no wall' : m] as const)}
      />
      {#if material !== 'open'}
        <Field label="mm" beside
          ><input
            class="field slim w-20 text-ink"
            type="number"
            min="0.1"
            step="any"
            max="2000"
            bind:value={thicknessMm}
          /></Field
        >
        <Field label="leaves" beside
          ><input class="field slim w-14 text-ink" type="number" min="1" max="6" bind:value={leaves} /></Field
        >
      {/if}
      <button class="button slim">Change</button>
    </div>
  </form>
{/if}
