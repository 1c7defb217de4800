<script lang="ts">
  import { Plus, X } from '@lucide/svelte'
  import { api } from '../../lib/api'
  import { dbm } from '../../lib/format'
  import type { MeshDevice, MeshLink } from '../../lib/types'
  import NumberField from '../../parts/NumberField.svelte'
  import PlacePick from '../../parts/PlacePick.svelte'
  import type { CallState } from '../../state/call.svelte'
  import Field from '../../parts/Field.svelte'

  interface Props {
    call: CallState
    /** What the mesh is called, who heads it, and the words of its form. */
    mesh: 'zigbee' | 'thread'
    head: 'hub' | 'border'
    headName: string
    placeLabel: string
    devices: MeshDevice[]
    links: MeshLink[]
  }
  let { call, mesh, head, headName, placeLabel, devices, links }: Props = $props()
  const title = $derived(mesh === 'zigbee' ? 'Zigbee' : 'Thread')
  let name = $state('')
  let placeId = $state('')
  let mains = $state(false)
  let level = $state<number | undefined>()
  let via = $state('')
  const from = $derived(via || head)
  const placeOf = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id
  const linkOf = (id: string) => links.find((l) => l.a_id === head && l.b_id === id)

  async function add(event: SubmitEvent) {
    event.preventDefault()
    if (level === undefined) return
    const body = {
      mesh,
      name,
      place_id: placeId,
      mains_powered: mains,
      from_id: from,
      rssi_dbm: level,
      revision: call.call.revision,
    }
    const path = { params: { path: { call_id: call.id } } }
    if (
      await call.change(
        () => api.POST('/api/calls/{call_id}/mesh-devices', { ...path, body }),
        `added ${name}`,
      )
    )
      name = ''
  }
  const remove = (id: string, label: string) => call.remove(`${mesh}_devices`, id, `removed ${label}`)
</script>

<ul class="mb-3 grid gap-x-6 sm:grid-cols-2">
  {#each devices as device (device.id)}
    {@const link = linkOf(device.id)}
    <li class="flex items-center gap-2 border-b border-(--rule) py-1">
      <span class="grow"
        >{device.name}
        <span class="text-sm text-soft"
          >{placeOf(device.place_id)}{device.mains_powered ? ', mains, router' : ''}{link
            ? `, ${dbm(link.rssi_dbm)} from ${headName}`
            : ''}</span
        ></span
      >
      {#if mesh === 'zigbee' && !call.practice}<input
          class="field slim w-52 font-mono"
          placeholder="address, if a coordinator is read"
          aria-label="Address of {device.name}"
          value={device.address ?? ''}
          onchange={(e) =>
            call.alter(
              'zigbee_devices',
              device.id,
              { address: e.currentTarget.value.trim().toLowerCase() || null },
              `the address of ${device.name}`,
            )}
        />{/if}
      <button
        class="button slim"
        aria-label="Remove {device.name}"
        onclick={() => remove(device.id, device.name)}><X size={14} /></button
      >
    </li>
  {/each}
</ul>
<form class="flex flex-wrap items-end gap-2" onsubmit={add}>
  <Field label="{title} device"
    ><input class="field text-base text-ink" bind:value={name} required maxlength="80" /></Field
  >
  <PlacePick {call} label={placeLabel} bind:value={placeId} />
  <NumberField label="{title} level, dBm" required min={-120} max={0} bind:value={level} />
  <Field label="{title} level from"
    ><select class="field text-base text-ink" value={from} onchange={(e) => (via = e.currentTarget.value)}>
      <option value={head}>{headName}</option>
      {#each devices.filter((d) => d.mains_powered) as d (d.id)}<option value={d.id}>{d.name}</option>{/each}
    </select></Field
  >
  <label class="flex min-h-10 items-center gap-2"
    ><input type="checkbox" class="size-5" bind:checked={mains} />on mains</label
  >
  <button class="button"><Plus size={16} />Add {title} device</button>
</form>
