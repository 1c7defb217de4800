<script lang="ts">
  import { AudioLines, FileUp, Plus, X } from '@lucide/svelte'
  import { api, ask, sendFile } from '../../lib/api'
  import { dbm, percent, when } from '../../lib/format'
  import type { Call, OtherSource, SourceKind } from '../../lib/types'
  import { notices } from '../../state/notices.svelte'
  import NumberField from '../../parts/NumberField.svelte'
  import PlacePick from '../../parts/PlacePick.svelte'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import FileDrop from '../../parts/FileDrop.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'
  import Ledger from '../../parts/Ledger.svelte'
  import NumberCell from '../../parts/NumberCell.svelte'
  import Tick from '../../parts/Tick.svelte'

  let { state: call }: { state: CallState } = $props()
  const answer = new Resource<SourceKind[]>((signal) => ask(api.GET('/api/source-kinds', { signal })))
  const kinds = $derived(answer.value ?? [])
  let name = $state('')
  let kind = $state<OtherSource['kind']>('microwave oven')
  let placeId = $state('')
  let minutes = $state(10)
  let centre = $state<number | null>(null)
  let fromHour = $state(0)
  let toHour = $state(24)
  let heardPlace = $state('')
  let channel = $state<number | undefined>()
  const usual = $derived(kinds.find((k) => k.kind === kind))
  const placeOf = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id
  const at = $derived(heardPlace || call.job.zigbee?.hub_place_id || call.job.places[0]?.id || '')

  async function add(event: SubmitEvent) {
    event.preventDefault()
    const made = {
      name,
      kind,
      place_id: placeId,
      centre_mhz: usual?.tuned ? (centre ?? null) : null,
      running_fraction: Math.min(1, minutes / 60),
      from_hour: fromHour,
      to_hour: toHour,
    }
    if (await call.add('other_sources', made, `wrote down ${name}`)) name = ''
  }
  const change = (id: string, what: Partial<OtherSource>, label: string) =>
    call.alter('other_sources', id, what, `changed ${label}`)
  /** The level of a sender where somebody read it while it ran; empty takes it away again. */
  function measured(s: OtherSource, text: string) {
    const others = s.heard_at.filter((h) => h.place_id !== at)
    const heard_at = text === '' ? others : [...others, { place_id: at, rssi_dbm: Number(text) }]
    return change(s.id, { heard_at }, `the level of ${s.name}`)
  }
  async function read(file: File | undefined) {
    if (!file) return
    if (/\.(pcap|pcapng|cap)$/i.test(file.name)) return call.readFile(file, at, channel)
    try {
      const query = `place_id=${encodeURIComponent(at)}&name=${encodeURIComponent(file.name)}`
      call.take(await sendFile<Call>(`/api/calls/${call.id}/energy-scans?${query}`, file, () => {}))
      notices.say(`Read ${file.name}.`)
    } catch (error) {
      notices.fail(error)
    }
  }
  const scan = () =>
    call.change(
      () => api.POST('/api/calls/{call_id}/hub-scan', { params: { path: { call_id: call.id } } }),
      'an energy scan by the hub',
    )
  const own = (pan_id: string, is: boolean) =>
    call.change(
      () =>
        api.POST('/api/calls/{call_id}/own-pan', {
          params: { path: { call_id: call.id } },
          body: { pan_id, own: is },
        }),
      `whose network ${pan_id} is`,
    )
</script>

<section class="page">
  <h2 class="mb-1">Other 2.4 GHz sources</h2>
  <p class="mb-2 text-sm text-soft">
    Ovens, cameras, baby monitors, Bluetooth, USB 3 beside a dongle; other people's 802.15.4 networks. What it
    costs the house stands under Tune. Nothing that guards a child or a patient is switched off to try.
  </p>
  {#if call.job.other_sources.length}
    <Ledger
      label="Other sources"
      fills={call}
      class="mb-3 text-sm"
      heads={['What', 'Is at', ['Min. an hour', 'figure'], 'Hours', [`dBm at ${placeOf(at)}`, 'figure'], '']}
    >
      {#each call.job.other_sources as s (s.id)}
        <tr>
          <td
            >{s.name}
            <span class="block text-xs text-soft">{s.kind}{s.centre_mhz ? `, ${s.centre_mhz} MHz` : ''}</span
            ></td
          >
          <td>{placeOf(s.place_id)}</td>
          <td class="number"
            ><NumberCell
              class="field slim w-16 text-right"
              min="0"
              max="60"
              aria-label="Minutes an hour of {s.name}"
              value={Math.round(s.running_fraction * 60)}
              onpick={(n) => change(s.id, { running_fraction: Math.min(1, n / 60) }, s.name)}
            /></td
          >
          <td class="whitespace-nowrap"
            >{s.from_hour === 0 && s.to_hour === 24 ? 'all day' : `${s.from_hour} to ${s.to_hour} h`}</td
          >
          <td class="number"
            ><input
              class="field slim w-20 text-right"
              type="number"
              min="-120"
              max="0"
              placeholder="as usual"
              aria-label="Level of {s.name} at {placeOf(at)}"
              value={s.heard_at.find((h) => h.place_id === at)?.rssi_dbm ?? ''}
              onchange={(e) => measured(s, e.currentTarget.value)}
            /></td
          >
          <td class="number"
            ><button
              class="button slim"
              aria-label="Remove {s.name}"
              onclick={() => call.remove('other_sources', s.id, `removed ${s.name}`)}><X size={14} /></button
            ></td
          >
        </tr>
      {/each}
    </Ledger>
  {/if}
  <form class="mb-4 flex flex-wrap items-end gap-2" onsubmit={add}>
    <Field label="Source"
      ><input class="field text-base text-ink" bind:value={name} required maxlength="80" /></Field
    >
    <Field label="Kind"
      ><Picker class="field text-base text-ink" bind:value={kind} options={kinds.map((k) => k.kind)} /></Field
    >
    <PlacePick {call} label="Found at" bind:value={placeId} />
    <NumberField label="Runs, min. an hour" min={1} max={60} bind:value={minutes} />
    <NumberField label="From hour" min={0} max={24} bind:value={fromHour} />
    <NumberField label="to hour" min={0} max={24} bind:value={toHour} />
    {#if usual?.tuned}
      <NumberField
        label="Centre, MHz"
        min={2400}
        max={2500}
        placeholder={String(usual.centre_mhz)}
        wide
        bind:value={centre}
      />
    {/if}
    <button class="button"><Plus size={16} />Add source</button>
  </form>
  {#if call.job.places.length}
    <div class="flex flex-wrap items-end gap-2 border-t border-(--rule) pt-3">
      <Field label="Heard at"
        ><Picker
          class="field text-base text-ink"
          value={at}
          onchange={(e) => (heardPlace = e.currentTarget.value)}
          options={call.job.places.map((place) => [place.id, place.name] as const)}
        /></Field
      >
      <NumberField
        label="On channel, if the file does not tell"
        min={rules.zigbeeLow}
        max={rules.zigbeeHigh}
        bind:value={channel}
      />
      <FileDrop
        class="button"
        label="802.15.4 capture or energy scan"
        accept=".pcap,.pcapng,.cap,.csv,.json"
        disabled={call.busy}
        onfile={read}><FileUp size={16} />802.15.4 capture or energy scan</FileDrop
      >
      {#if call.practice && call.job.zigbee}<button class="button" disabled={call.busy} onclick={scan}
          ><AudioLines size={16} />Have the hub scan</button
        >{/if}
    </div>
  {/if}
  {#if call.job.pans.length}
    <Ledger
      label="802.15.4 networks heard"
      class="mt-3 text-sm"
      heads={['Network', ['Channel', 'figure'], 'At', ['Level', 'figure'], ['Airtime', 'figure'], 'Ours']}
    >
      {#each call.job.pans as pan (pan.id)}
        <tr
          ><td class="font-mono">{pan.pan_id}</td><td class="number">{pan.channel}</td><td
            >{placeOf(pan.place_id)} <span class="text-xs text-soft">{when(pan.heard_at)}</span></td
          ><td class="number">{dbm(pan.rssi_dbm)}</td><td class="number"
            >{percent(pan.airtime_fraction, 2)}</td
          ><td
            ><Tick
              checked={pan.own}
              label="{pan.pan_id} is this house's"
              onpick={(on) => own(pan.pan_id, on)}
            /></td
          ></tr
        >
      {/each}
    </Ledger>
  {/if}
  {#if call.job.energy_scans.length}
    <p class="mt-2 text-sm text-soft">
      Energy scans: {call.job.energy_scans
        .map((s) => `${placeOf(s.place_id)}, ${when(s.scanned_at)}`)
        .join('; ')}.
    </p>
  {/if}
</section>
