<script lang="ts">
  import { Plus, X } from '@lucide/svelte'
  import { identifier } from '../../lib/kit'
  import type { CallState } from '../../state/call.svelte'

  let { state: call }: { state: CallState } = $props()
  let placeId = $state('')
  let channel = $state(25)
  let name = $state('')
  let devicePlace = $state('')
  let mains = $state(false)
  let level = $state(-70)
  let via = $state('border')
  const thread = $derived(call.job.thread)
  const placeOf = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id

  function start(event: SubmitEvent) {
    event.preventDefault()
    const made = { border_place_id: placeId, channel, devices: [], links: [] }
    return call.edit({ ...call.job, thread: made }, 'added the Thread mesh')
  }
  async function add(event: SubmitEvent) {
    event.preventDefault()
    if (!thread) return
    const taken = ['hub', 'border', ...thread.devices.map((d) => d.id)]
    const id = identifier(name, [...taken, ...(call.job.zigbee?.devices ?? []).map((d) => d.id)])
    const devices = [...thread.devices, { id, name, place_id: devicePlace, mains_powered: mains }]
    const links = [...thread.links, { a_id: via, b_id: id, rssi_dbm: level }]
    if (await call.edit({ ...call.job, thread: { ...thread, devices, links } }, `added ${name}`)) name = ''
  }
  function remove(id: string, label: string) {
    if (!thread) return
    const devices = thread.devices.filter((d) => d.id !== id)
    const links = thread.links.filter((l) => l.a_id !== id && l.b_id !== id)
    return call.edit({ ...call.job, thread: { ...thread, devices, links } }, `removed ${label}`)
  }
</script>

<section class="page">
  <h2 class="mb-2">Thread</h2>
  {#if thread}
    <p class="mb-2 flex flex-wrap items-center gap-3">
      <span>Border router at {placeOf(thread.border_place_id)} on channel</span>
      <input
        class="field slim w-20"
        type="number"
        min="11"
        max="26"
        aria-label="Channel of the Thread mesh"
        value={thread.channel}
        onchange={(e) =>
          call.edit(
            { ...call.job, thread: { ...thread, channel: Number(e.currentTarget.value) } },
            'the channel of the Thread mesh',
          )}
      />
      <span class="text-sm text-soft"
        >It picks its channel itself, so the plan keeps it and works round it.</span
      >
      <button
        class="button slim"
        onclick={() => call.edit({ ...call.job, thread: null }, 'removed the Thread mesh')}
        ><X size={14} />Remove the mesh</button
      >
    </p>
    <ul class="mb-3 grid gap-x-6 sm:grid-cols-2">
      {#each thread.devices as device (device.id)}
        <li class="flex items-center gap-2 border-b border-(--rule) py-1">
          <span class="grow"
            >{device.name}
            <span class="text-sm text-soft"
              >{placeOf(device.place_id)}{device.mains_powered ? ', mains: passes on' : ''}</span
            ></span
          >
          <button
            class="button slim"
            aria-label="Remove {device.name}"
            onclick={() => remove(device.id, device.name)}><X size={14} /></button
          >
        </li>
      {/each}
    </ul>
    <form class="flex flex-wrap items-end gap-2" onsubmit={add}>
      <label class="grid text-sm text-soft"
        >Thread device<input
          class="field text-base text-ink"
          bind:value={name}
          required
          maxlength="80"
        /></label
      >
      <label class="grid text-sm text-soft"
        >Used at
        <select class="field text-base text-ink" bind:value={devicePlace} required>
          <option value="" disabled>choose</option>
          {#each call.job.places as place (place.id)}<option value={place.id}>{place.name}</option>{/each}
        </select></label
      >
      <label class="grid text-sm text-soft"
        >Hears, dBm<input
          class="field w-24 text-base text-ink"
          type="number"
          min="-120"
          max="0"
          bind:value={level}
        /></label
      >
      <label class="grid text-sm text-soft"
        >from
        <select class="field text-base text-ink" bind:value={via}>
          <option value="border">the border router</option>
          {#each thread.devices.filter((d) => d.mains_powered) as d (d.id)}<option value={d.id}
              >{d.name}</option
            >{/each}
        </select></label
      >
      <label class="flex min-h-10 items-center gap-2"
        ><input type="checkbox" class="size-5" bind:checked={mains} />on mains</label
      >
      <button class="button"><Plus size={16} />Add Thread device</button>
    </form>
  {:else if call.job.places.length}
    <form class="flex flex-wrap items-end gap-2" onsubmit={start}>
      <label class="grid text-sm text-soft"
        >Border router at
        <select class="field text-base text-ink" bind:value={placeId} required>
          <option value="" disabled>choose</option>
          {#each call.job.places as place (place.id)}<option value={place.id}>{place.name}</option>{/each}
        </select></label
      >
      <label class="grid text-sm text-soft"
        >Its channel<input
          class="field w-24 text-base text-ink"
          type="number"
          min="11"
          max="26"
          bind:value={channel}
        /></label
      >
      <button class="button"><Plus size={16} />Add the Thread mesh</button>
    </form>
  {:else}<p class="text-soft">Add a place first.</p>{/if}
</section>
