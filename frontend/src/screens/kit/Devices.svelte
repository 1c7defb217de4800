<script lang="ts">
  import { Plus, X } from '@lucide/svelte'
  import { DEVICE_KINDS, identifier, type DeviceKind } from '../../lib/kit'
  import type { Device } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'

  let { state: call }: { state: CallState } = $props()
  let name = $state('')
  let placeId = $state('')
  let kind = $state<DeviceKind>('phone or tablet')
  const kinds = Object.keys(DEVICE_KINDS) as DeviceKind[]

  async function add(event: SubmitEvent) {
    event.preventDefault()
    const k = DEVICE_KINDS[kind]
    const device: Device = {
      id: identifier(
        name,
        call.job.devices.map((d) => d.id),
      ),
      name,
      place_id: placeId,
      bands: [...k.bands],
      generation: k.generation,
      streams: k.streams,
      max_width_mhz: 80,
      demand_down_mbps: k.down,
      demand_up_mbps: k.up,
      eirp_dbm: 15,
      must_have: true,
      radio_id: null,
      group_id: null,
      awkward: false,
      unknown: false,
      relayed_by_id: null,
    }
    if (await call.edit({ ...call.job, devices: [...call.job.devices, device] }, `added ${name}`)) name = ''
  }
  const change = (id: string, what: Partial<Device>, summary: string) =>
    call.edit(
      { ...call.job, devices: call.job.devices.map((d) => (d.id === id ? { ...d, ...what } : d)) },
      summary,
    )
</script>

<section class="page">
  <h2 class="mb-1">Devices on Wi-Fi</h2>
  <p class="mb-2 text-sm text-soft">
    With what each wants in the busy hour. A phone that plays to a speaker counts twice.
  </p>
  {#if call.job.devices.length}
    <div class="overflow-x-auto">
      <table class="ledger mb-3 text-sm">
        <thead
          ><tr
            ><th>Device</th><th>Used at</th><th>Bands</th><th class="number">Down, Mb/s</th><th class="number"
              >Up, Mb/s</th
            ><th>Must have</th><th></th></tr
          ></thead
        >
        <tbody>
          {#each call.job.devices as device (device.id)}
            <tr>
              <td>{device.name}</td>
              <td>
                <select
                  class="field slim"
                  aria-label="Place of {device.name}"
                  value={device.place_id}
                  onchange={(e) =>
                    change(device.id, { place_id: e.currentTarget.value }, `moved ${device.name}`)}
                >
                  {#each call.job.places as place (place.id)}<option value={place.id}>{place.name}</option
                    >{/each}
                </select>
              </td>
              <td>{device.bands.map((b) => b.replace(' GHz', '')).join(', ')}</td>
              <td class="number"
                ><input
                  class="field slim w-20 text-right"
                  type="number"
                  min="0"
                  step="any"
                  aria-label="Down of {device.name}"
                  value={device.demand_down_mbps}
                  onchange={(e) =>
                    change(
                      device.id,
                      { demand_down_mbps: Number(e.currentTarget.value) },
                      `changed the demand of ${device.name}`,
                    )}
                /></td
              >
              <td class="number"
                ><input
                  class="field slim w-20 text-right"
                  type="number"
                  min="0"
                  step="any"
                  aria-label="Up of {device.name}"
                  value={device.demand_up_mbps}
                  onchange={(e) =>
                    change(
                      device.id,
                      { demand_up_mbps: Number(e.currentTarget.value) },
                      `changed the demand of ${device.name}`,
                    )}
                /></td
              >
              <td
                ><input
                  type="checkbox"
                  class="size-5"
                  aria-label="{device.name} is a must"
                  checked={device.must_have}
                  onchange={(e) =>
                    change(device.id, { must_have: e.currentTarget.checked }, `changed ${device.name}`)}
                /></td
              >
              <td class="number"
                ><button
                  class="button slim"
                  aria-label="Remove {device.name}"
                  onclick={() =>
                    call.edit(
                      { ...call.job, devices: call.job.devices.filter((d) => d.id !== device.id) },
                      `removed ${device.name}`,
                    )}><X size={14} /></button
                ></td
              >
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
  {#if call.job.places.length}
    <form class="flex flex-wrap items-end gap-2" onsubmit={add}>
      <label class="grid text-sm text-soft"
        >Device<input class="field text-base text-ink" bind:value={name} required maxlength="80" /></label
      >
      <label class="grid text-sm text-soft"
        >Used at
        <select class="field text-base text-ink" bind:value={placeId} required>
          <option value="" disabled>choose</option>
          {#each call.job.places as place (place.id)}<option value={place.id}>{place.name}</option>{/each}
        </select>
      </label>
      <label class="grid text-sm text-soft"
        >Kind
        <select class="field text-base text-ink" bind:value={kind}
          >{#each kinds as k (k)}<option>{k}</option>{/each}</select
        >
      </label>
      <button class="button"><Plus size={16} />Add device</button>
    </form>
  {:else}<p class="text-soft">Add a place first.</p>{/if}
</section>
