<script lang="ts">
  import { FileUp, Plus, Router, X } from '@lucide/svelte'
  import { api, sendFile } from '../../lib/api'
  import { identifier } from '../../lib/kit'
  import type { Call, Job } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { notices } from '../../state/notices.svelte'

  let { state: call }: { state: CallState } = $props()
  let name = $state('')
  let placeId = $state('')
  let mains = $state(false)
  let level = $state(-70)
  let hubPlace = $state('')
  let channel = $state(20)
  let fixed = $state(false)
  const usual = Array.from({ length: 15 }, (_, i) => 11 + i)
  const zigbee = $derived(call.job.zigbee)

  let tableBox = $state<HTMLInputElement>()
  async function readTable(file: File | undefined) {
    if (!file) return
    try {
      call.take(await sendFile<Call>(`/api/calls/${call.id}/zigbee-links`, file, () => {}))
      notices.say(`Read ${file.name}.`)
    } catch (error) {
      notices.fail(error)
    }
  }

  function addHub(event: SubmitEvent) {
    event.preventDefault()
    const selectable_channels = fixed ? [channel] : [...new Set([...usual, channel])].sort((a, b) => a - b)
    const made = { hub_place_id: hubPlace, selectable_channels, devices: [], links: [], hub_faces_deg: null }
    const settings = { ...call.job.settings, zigbee_channel: channel }
    return call.edit({ ...call.job, zigbee: made, settings }, 'added the Zigbee hub')
  }
  const TURNS: [string, number | ''][] = [
    ['all round', ''],
    ['to the right of the plan', 0],
    ['right and back', 45],
    ['to the back', 90],
    ['left and back', 135],
    ['to the left', 180],
    ['left and front', 225],
    ['to the front', 270],
    ['right and front', 315],
  ]
  const askHub = () =>
    call.change(
      () => api.POST('/api/calls/{call_id}/hub-links', { params: { path: { call_id: call.id } } }),
      "the hub's link table",
    )
  function turnHub(value: string) {
    if (!zigbee) return
    const hub_faces_deg = value === '' ? null : Number(value)
    return call.edit({ ...call.job, zigbee: { ...zigbee, hub_faces_deg } }, 'the way that the hub looks')
  }
  function removeHub() {
    const settings = { ...call.job.settings, zigbee_channel: null }
    return call.edit({ ...call.job, zigbee: null, settings, zigbee_reports: [] }, 'removed the Zigbee hub')
  }
  async function add(event: SubmitEvent) {
    event.preventDefault()
    if (!zigbee) return
    const id = identifier(name, ['hub', ...zigbee.devices.map((d) => d.id)])
    const devices = [...zigbee.devices, { id, name, place_id: placeId, mains_powered: mains }]
    const links = [...zigbee.links, { a_id: 'hub', b_id: id, rssi_dbm: level }]
    const job: Job = { ...call.job, zigbee: { ...zigbee, devices, links } }
    if (await call.edit(job, `added ${name}`)) name = ''
  }
  function remove(id: string, label: string) {
    if (!zigbee) return
    const devices = zigbee.devices.filter((d) => d.id !== id)
    const links = zigbee.links.filter((l) => l.a_id !== id && l.b_id !== id)
    const zigbee_reports = call.job.zigbee_reports.filter((r) => r.device_id !== id)
    return call.edit(
      { ...call.job, zigbee: { ...zigbee, devices, links }, zigbee_reports },
      `removed ${label}`,
    )
  }
  const hubLevel = (id: string) => zigbee?.links.find((l) => l.a_id === 'hub' && l.b_id === id)?.rssi_dbm
</script>

<section class="page">
  <h2 class="mb-2">Zigbee</h2>
  {#if zigbee}
    <p class="mb-2 flex flex-wrap items-center gap-3">
      <span
        >Hub at {call.job.places.find((p) => p.id === zigbee.hub_place_id)?.name} on channel {call.job
          .settings.zigbee_channel}; {zigbee.selectable_channels.length === 1
          ? 'fixed'
          : `can be set to ${zigbee.selectable_channels.join(', ')}`}</span
      >
      <button class="button slim" onclick={() => tableBox?.click()}><FileUp size={14} />Link table</button>
      <input
        bind:this={tableBox}
        type="file"
        accept=".csv,.json"
        class="hidden"
        aria-label="Zigbee link table"
        onchange={(e) => {
          void readTable(e.currentTarget.files?.[0])
          e.currentTarget.value = ''
        }}
      />
      <button class="button slim" disabled={call.busy} onclick={askHub}
        ><Router size={14} />Ask the hub</button
      >
      <label class="flex items-center gap-1 text-sm text-soft"
        >its antenna looks
        <select
          class="field slim text-ink"
          value={zigbee.hub_faces_deg ?? ''}
          onchange={(e) => turnHub(e.currentTarget.value)}
        >
          {#each TURNS as [text, degrees] (text)}<option value={degrees}>{text}</option>{/each}
        </select></label
      >
      <button class="button slim" onclick={removeHub}><X size={14} />Remove the hub</button>
    </p>
    <ul class="mb-3 grid gap-x-6 sm:grid-cols-2">
      {#each zigbee.devices as device (device.id)}
        <li class="flex items-center gap-2 border-b border-(--rule) py-1">
          <span class="grow"
            >{device.name}
            <span class="text-sm text-soft"
              >{call.job.places.find((p) => p.id === device.place_id)?.name}{device.mains_powered
                ? ', mains: passes on'
                : ''}{hubLevel(device.id) === undefined
                ? ''
                : `, ${hubLevel(device.id)} dBm from the hub`}</span
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
        >Zigbee device<input
          class="field text-base text-ink"
          bind:value={name}
          required
          maxlength="80"
        /></label
      >
      <label class="grid text-sm text-soft"
        >Is at
        <select class="field text-base text-ink" bind:value={placeId} required>
          <option value="" disabled>choose</option>
          {#each call.job.places as place (place.id)}<option value={place.id}>{place.name}</option>{/each}
        </select>
      </label>
      <label class="grid text-sm text-soft"
        >Level from the hub, dBm<input
          class="field w-24 text-base text-ink"
          type="number"
          min="-120"
          max="0"
          bind:value={level}
        /></label
      >
      <label class="flex min-h-10 items-center gap-2"
        ><input type="checkbox" class="size-5" bind:checked={mains} />on mains</label
      >
      <button class="button"><Plus size={16} />Add Zigbee device</button>
    </form>
  {:else if call.job.places.length}
    <form class="flex flex-wrap items-end gap-2" onsubmit={addHub}>
      <label class="grid text-sm text-soft"
        >Hub stands at
        <select class="field text-base text-ink" bind:value={hubPlace} required>
          <option value="" disabled>choose</option>
          {#each call.job.places as place (place.id)}<option value={place.id}>{place.name}</option>{/each}
        </select>
      </label>
      <label class="grid text-sm text-soft"
        >Channel now<input
          class="field w-24 text-base text-ink"
          type="number"
          min="11"
          max="26"
          bind:value={channel}
        /></label
      >
      <label class="flex min-h-10 items-center gap-2"
        ><input type="checkbox" class="size-5" bind:checked={fixed} />cannot be changed</label
      >
      <button class="button"><Plus size={16} />Add hub</button>
    </form>
    <p class="mt-2 text-sm text-soft">
      Channel 26 is left out unless it is in use: many devices do not do it.
    </p>
  {:else}<p class="text-soft">Add a place first.</p>{/if}
</section>
