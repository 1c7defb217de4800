<script lang="ts">
  import { Plus, X } from '@lucide/svelte'
  import type { CallState } from '../../state/call.svelte'
  import { floorName } from '../../lib/format'
  import Field from '../../parts/Field.svelte'

  let { state: call }: { state: CallState } = $props()
  let name = $state('')
  let storey = $state(0)
  let outdoors = $state(false)
  let box = $state<HTMLInputElement>()

  const roomOf = (id: string) => call.job.building?.rooms?.find((r) => r.id === id)?.name

  async function add(event: SubmitEvent) {
    event.preventDefault()
    if (await call.add('places', { name, storey, outdoors }, `added the room ${name}`)) {
      name = ''
      box?.focus()
    }
  }
  const remove = (id: string, label: string) => call.remove('places', id, `removed the room ${label}`)
</script>

<section class="page">
  <h2 class="mb-1">Rooms and spots</h2>
  <p class="mb-2 text-sm text-soft">
    Where a node stands, a device is used, or you listen. Rooms that are drawn under House are here by
    themselves; a spot is a finer place, such as a desk or the front door outside.
  </p>
  <ul class="mb-3 flex flex-wrap gap-2">
    {#each call.job.places as place (place.id)}
      <li class="flex items-center gap-2 rounded border border-(--strong-rule) py-1 pr-1 pl-3">
        {place.name}
        <span class="text-sm text-soft"
          >{place.outdoors ? 'outdoors' : floorName(place.storey)}{place.room_id &&
          roomOf(place.room_id) !== place.name
            ? `, in the ${roomOf(place.room_id)}`
            : ''}</span
        >
        <button
          class="rounded p-1 hover:bg-wash"
          aria-label="Remove {place.name}"
          onclick={() => remove(place.id, place.name)}><X size={14} /></button
        >
      </li>
    {/each}
  </ul>
  <form class="flex flex-wrap items-end gap-2" onsubmit={add}>
    <Field label="Room or spot"
      ><input
        class="field text-base text-ink"
        bind:this={box}
        bind:value={name}
        required
        maxlength="80"
      /></Field
    >
    <Field label="Floor, 0 is the ground"
      ><input
        class="field w-20 text-base text-ink"
        type="number"
        min="-5"
        max="50"
        bind:value={storey}
      /></Field
    >
    <label class="flex min-h-10 items-center gap-2"
      ><input type="checkbox" class="size-5" bind:checked={outdoors} />outdoors</label
    >
    <button class="button"><Plus size={16} />Add room</button>
  </form>
</section>
