<script lang="ts">
  import type { Band, Device } from '../../lib/types'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'
  import Tick from '../../parts/Tick.svelte'

  interface Props {
    call: CallState
    device: Device
    groups: (string | null)[]
    change: (id: string, what: Partial<Device>, summary: string) => Promise<boolean>
  }
  const WIDEST = [
    ['max_width_mhz', 'Widest channel, MHz'],
    ['max_width_24_mhz', 'Widest at 2.4 GHz, MHz'],
  ] as const
  let { call, device, groups, change }: Props = $props()
  const others = $derived(call.job.devices.filter((d) => d.id !== device.id))
  const radios = $derived(
    call.job.nodes.flatMap((n) => n.radios).filter((r) => device.bands.includes(r.band)),
  )
  function onGadgetNetwork(on: boolean) {
    const others = call.job.settings.ssid_plan.device_network.filter((d) => d !== device.id)
    const ssid_plan = { device_network: on ? [...others, device.id] : others }
    return call.set({ settings: { ssid_plan } }, `${device.name}: network for gadgets`)
  }
  function setBand(band: Band, on: boolean) {
    const bands = rules.offered.bands.filter((b) => (b === band ? on : device.bands.includes(b)))
    if (bands.length) void change(device.id, { bands }, `changed the bands of ${device.name}`)
  }
</script>

<div class="flex flex-wrap items-center gap-x-5 gap-y-2 py-1">
  <fieldset class="flex items-center gap-2">
    <legend class="float-left mr-2 text-soft">Can use</legend>
    {#each rules.offered.bands as band (band)}
      <Tick checked={device.bands.includes(band)} onpick={(on) => setBand(band, on)}
        >{band.replace(' GHz', '')}</Tick
      >
    {/each}
  </fieldset>
  {#each WIDEST as [key, label] (key)}
    <Field {label} beside
      ><Picker
        class="field slim text-ink"
        value={device[key]}
        onchange={(e) =>
          change(
            device.id,
            { [key]: Number(e.currentTarget.value) },
            `${device.name}: ${label.toLowerCase()}`,
          )}
        options={rules.offered.widths_mhz}
      /></Field
    >
  {/each}
  <Field label="Group" beside
    ><input
      class="field slim w-28 text-ink"
      list="groups"
      maxlength="40"
      pattern="[A-Za-z0-9._\-]*"
      value={device.group_id ?? ''}
      onchange={(e) =>
        change(device.id, { group_id: e.currentTarget.value || null }, `grouped ${device.name}`)}
    /></Field
  >
  <datalist id="groups"
    >{#each groups as group (group)}<option value={group}></option>{/each}</datalist
  >
  <Field label="Its stream is passed on by" beside
    ><Picker
      class="field slim text-ink"
      value={device.relayed_by_id ?? ''}
      onchange={(e) =>
        change(
          device.id,
          { relayed_by_id: e.currentTarget.value || null },
          `${device.name}: who passes it on`,
        )}
      options={others.map((other) => [other.id, other.name] as const)}
      empty="nobody"
    /></Field
  >
  <Field label="By cable on" beside
    ><Picker
      class="field slim text-ink"
      value={device.wired_to_id ?? ''}
      onchange={(e) =>
        change(device.id, { wired_to_id: e.currentTarget.value || null }, `${device.name}: cable or air`)}
      options={call.job.nodes.map((node) => [node.id, node.name] as const)}
      empty="no cable"
    /></Field
  >
  <Field label="Known to hold" beside
    ><Picker
      class="field slim text-ink"
      value={device.radio_id ?? ''}
      onchange={(e) =>
        change(device.id, { radio_id: e.currentTarget.value || null }, `${device.name}: the radio it holds`)}
      options={radios.map((radio) => radio.id)}
      empty="whatever it chooses"
    /></Field
  >
  <Tick checked={device.awkward} onpick={(on) => change(device.id, { awkward: on }, `changed ${device.name}`)}
    >drops off when steered</Tick
  >
  <Tick
    checked={device.planned}
    onpick={(on) =>
      change(device.id, { planned: on }, on ? `${device.name} is not bought yet` : `${device.name} is here`)}
    >not bought yet</Tick
  >
  <Tick checked={device.unknown} onpick={(on) => change(device.id, { unknown: on }, `changed ${device.name}`)}
    >ask about it</Tick
  >
  <Tick
    checked={call.job.settings.ssid_plan.device_network.includes(device.id)}
    onpick={(on) => onGadgetNetwork(on)}>on the router's own network for gadgets</Tick
  >
</div>
