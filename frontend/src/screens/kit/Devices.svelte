<script lang="ts">
  import { X } from '@lucide/svelte'
  import { api, ask } from '../../lib/api'
  import { plural } from '../../lib/format'
  import type { Device, KitView } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import AddDevices from './AddDevices.svelte'
  import DeviceMore from './DeviceMore.svelte'
  import Picker from '../../parts/Picker.svelte'
  import Ledger from '../../parts/Ledger.svelte'
  import NumberCell from '../../parts/NumberCell.svelte'
  import Tick from '../../parts/Tick.svelte'

  let { state: call }: { state: CallState } = $props()
  let open = $state<string | null>(null)
  const answer = new Resource<KitView>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/kit', { params: { path: { call_id: call.id } }, signal }))
  })
  const kit = $derived(answer.value)
  const groups = $derived([...new Set(call.job.devices.map((d) => d.group_id).filter((g) => !!g))])
  const mine = (id: string) => kit?.crowds.find((c) => c.node_id === id)
  let picked = $state<string[]>([])
  /** The same on all that are picked, as one step that one undo takes back. */
  const several = (what: Partial<Device>, summary: string) =>
    call.set(
      { devices: call.job.devices.map((d) => (picked.includes(d.id) ? { ...d, ...what } : d)) },
      `changed the ${summary} of ${plural(picked.length, 'device')}`,
    )
  const change = (id: string, what: Partial<Device>, summary: string) =>
    call.alter('devices', id, what, summary)
</script>

<section class="page">
  <h2 class="mb-1">Devices on Wi-Fi</h2>
  <p class="mb-2 text-sm text-soft">
    With what each wants in the busy hour. A phone that plays to a speaker counts twice.
    {call.job.nodes
      .filter((n) => mine(n.id))
      .map((n) => `${n.name}: ${mine(n.id)?.devices} devices, its limit is ${mine(n.id)?.device_limit}.`)
      .join(' ')}
  </p>
  {#if call.job.devices.length}
    <div
      class="mb-2 flex min-h-10 flex-wrap items-center gap-x-3 gap-y-1 text-sm"
      role="group"
      aria-label="Several devices"
    >
      {#if picked.length}
        <strong>{plural(picked.length, 'device')} picked:</strong>
        <Picker
          class="field slim"
          aria-label="Place of those picked"
          value=""
          empty="used at…"
          options={call.job.places.map((place) => [place.id, place.name] as const)}
          onchange={(e) => several({ place_id: e.currentTarget.value }, 'place')}
        />
        <label class="flex items-center gap-1"
          >Down, Mb/s <NumberCell
            class="field slim w-20"
            min="0"
            step="any"
            value={null}
            onpick={(n) => several({ demand_down_mbps: n }, 'demand')}
          /></label
        >
        <label class="flex items-center gap-1"
          >Up, Mb/s <NumberCell
            class="field slim w-20"
            min="0"
            step="any"
            value={null}
            onpick={(n) => several({ demand_up_mbps: n }, 'demand')}
          /></label
        >
        <button class="button slim" onclick={() => several({ must_have: true }, 'importance')}
          >Must have</button
        >
        <button class="button slim" onclick={() => several({ must_have: false }, 'importance')}
          >Not a must</button
        >
        <button class="button slim" onclick={() => (picked = [])}>Pick none</button>
      {:else}
        <span class="text-soft"
          >Pick several to change them at once. <kbd>Enter</kbd> and the arrows go from row to row; cells pasted
          from a spreadsheet fill the rows below.</span
        >
        <button class="button slim" onclick={() => (picked = call.job.devices.map((d) => d.id))}
          >Pick all</button
        >
      {/if}
    </div>
    <Ledger
      fills={call}
      class="mb-3 text-sm"
      heads={[
        '',
        'Device',
        'Used at',
        'Bands',
        ['Down, Mb/s', 'figure'],
        ['Up, Mb/s', 'figure'],
        'Must have',
        '',
      ]}
    >
      {#each call.job.devices as device (device.id)}
        <tr class:bg-wash={picked.includes(device.id)}>
          <td
            ><input
              type="checkbox"
              class="size-5"
              data-pick
              aria-label="Pick {device.name}"
              value={device.id}
              bind:group={picked}
            /></td
          >
          <td
            ><button
              class="text-left underline decoration-(--strong-rule) underline-offset-4"
              aria-expanded={open === device.id}
              onclick={() => (open = open === device.id ? null : device.id)}>{device.name}</button
            >
            {#if device.planned}<span class="text-sm text-accent">not bought yet</span>{/if}
            {#if device.unknown}<span class="text-sm text-accent">ask about it</span>{/if}
            {#if device.group_id}<span class="text-sm text-soft">group {device.group_id}</span>{/if}</td
          >
          <td>
            <Picker
              class="field slim"
              aria-label="Place of {device.name}"
              value={device.place_id}
              onchange={(e) => change(device.id, { place_id: e.currentTarget.value }, `moved ${device.name}`)}
              options={call.job.places.map((place) => [place.id, place.name] as const)}
            />
          </td>
          <td>{device.bands.map((b) => b.replace(' GHz', '')).join(', ')}</td>
          <td class="number"
            ><NumberCell
              class="field slim w-20 text-right"
              min="0"
              step="any"
              aria-label="Down of {device.name}"
              value={device.demand_down_mbps}
              onpick={(n) =>
                change(device.id, { demand_down_mbps: n }, `changed the demand of ${device.name}`)}
            /></td
          >
          <td class="number"
            ><NumberCell
              class="field slim w-20 text-right"
              min="0"
              step="any"
              aria-label="Up of {device.name}"
              value={device.demand_up_mbps}
              onpick={(n) => change(device.id, { demand_up_mbps: n }, `changed the demand of ${device.name}`)}
            /></td
          >
          <td
            ><Tick
              checked={device.must_have}
              label="{device.name} is a must"
              onpick={(on) => change(device.id, { must_have: on }, `changed ${device.name}`)}
            /></td
          >
          <td class="number"
            ><button
              class="button slim"
              aria-label="Remove {device.name}"
              onclick={() => call.remove('devices', device.id, `removed ${device.name}`)}
              ><X size={14} /></button
            ></td
          >
        </tr>
        {#if open === device.id}
          <tr><td colspan="8"><DeviceMore {call} {device} {groups} {change} /></td></tr>
        {/if}
      {/each}
    </Ledger>
  {/if}
  {#if call.job.settings.ssid_plan.device_network.length}
    <label class="mb-3 flex flex-wrap items-center gap-2 text-sm"
      >The router's own network for gadgets lets each device have, Mb/s
      <NumberCell
        class="field slim w-24"
        min="0.01"
        step="any"
        placeholder="not measured"
        value={call.job.device_network_mbps}
        onpick={(n) => call.set({ device_network_mbps: n }, 'what the network for gadgets lets through')}
        onempty={() => call.set({ device_network_mbps: null }, 'what the network for gadgets lets through')}
      /></label
    >
  {/if}
  <AddDevices {call} {kit} />
</section>
