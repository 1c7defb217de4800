<script lang="ts">
  import { Plus, X } from '@lucide/svelte'
  import { identifier } from '../../lib/kit'
  import { dbm } from '../../lib/format'
  import type { MeshDevice, MeshLink } from '../../lib/types'
  import NumberField from '../../parts/NumberField.svelte'
  import PlacePick from '../../parts/PlacePick.svelte'
  import type { CallState } from '../../state/call.svelte'

  interface Props {
    call: CallState
    /** What the mesh is called, who heads it, and the words of its form. */
    mesh: 'Zigbee' | 'Thread'
    head: 'hub' | 'border'
    headName: string
    placeLabel: string
    devices: MeshDevice[]
    links: MeshLink[]
    /** Keep what the mesh consists of now. */
    onkeep: (devices: MeshDevice[], links: MeshLink[], summary: string) => Promise<boolean>
  }
  let { call, mesh, head, headName, placeLabel, devices, links, onkeep }: Props = $props()
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
    const others = [...(call.job.zigbee?.devices ?? []), ...(call.job.thread?.devices ?? [])]
    const id = identifier(name, ['hub', 'border', ...others.map((d) => d.id)])
    const made = { id, name, place_id: placeId, mains_powered: mains }
    const link = { a_id: from, b_id: id, rssi_dbm: level, came_from: 'typed' as const }
    if (await onkeep([...devices, made], [...links, link], `added ${name}`)) name = ''
  }
  const remove = (id: string, label: string) =>
    onkeep(
      devices.filter((d) => d.id !== id),
      links.filter((l) => l.a_id !== id && l.b_id !== id),
      `removed ${label}`,
    )
</script>

<ul class="mb-3 grid gap-x-6 sm:grid-cols-2">
  {#each devices as device (device.id)}
    {@const link = linkOf(device.id)}
    <li class="flex items-center gap-2 border-b border-(--rule) py-1">
      <span class="grow"
        >{device.name}
        <span class="text-sm text-soft"
          >{placeOf(device.place_id)}{device.mains_powered ? ', mains: passes on' : ''}{link
            ? `, ${dbm(link.rssi_dbm)} from ${headName}`
            : ''}</span
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
    >{mesh} device<input class="field text-base text-ink" bind:value={name} required maxlength="80" /></label
  >
  <PlacePick job={call.job} label={placeLabel} bind:value={placeId} />
  <NumberField label="{mesh} level, dBm" required min={-120} max={0} bind:value={level} />
  <label class="grid text-sm text-soft"
    >{mesh} level from
    <select class="field text-base text-ink" value={from} onchange={(e) => (via = e.currentTarget.value)}>
      <option value={head}>{headName}</option>
      {#each devices.filter((d) => d.mains_powered) as d (d.id)}<option value={d.id}>{d.name}</option>{/each}
    </select></label
  >
  <label class="flex min-h-10 items-center gap-2"
    ><input type="checkbox" class="size-5" bind:checked={mains} />on mains</label
  >
  <button class="button"><Plus size={16} />Add {mesh} device</button>
</form>
