<script lang="ts">
  import { Ear, FileDown, FileUp, Footprints } from '@lucide/svelte'
  import { api, ask } from '../../lib/api'
  import { when } from '../../lib/format'
  import { onKeys } from '../../lib/keys'
  import type { AirView, InstrumentView } from '../../lib/types'
  import { notices } from '../../state/notices.svelte'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import PasteBox from '../walk/PasteBox.svelte'
  import Notes from '../ask/Notes.svelte'
  import Sheet from './Sheet.svelte'
  import FileDrop from '../../parts/FileDrop.svelte'
  import Picker from '../../parts/Picker.svelte'
  import Views from '../../parts/Views.svelte'

  let { state: call }: { state: CallState } = $props()
  let placeId = $state('')
  let until = $state('')
  let view = $state<AirView | null>(null)
  const instruments = new Resource<InstrumentView[]>((signal) =>
    ask(api.GET('/api/calls/{call_id}/instruments', { params: { path: { call_id: call.id } }, signal })),
  )
  const card = $derived(instruments.value?.find((i) => i.kind === 'card') ?? null)
  let dragging = $state(false)
  let pasteBox = $state<PasteBox>()
  let fileBox = $state<ReturnType<typeof FileDrop>>()

  $effect(() => {
    if (!call.job.places.some((p) => p.id === placeId)) placeId = call.job.places[0]?.id ?? ''
  })
  const times = $derived(
    [...new Set(call.job.scans.filter((l) => l.place_id === placeId).map((l) => l.heard_at))]
      .sort((a, b) => Date.parse(a) - Date.parse(b))
      .reverse(),
  )
  const heardAt = (id: string) => call.job.scans.filter((l) => l.place_id === id).length
  $effect(() => {
    void placeId
    until = ''
  })
  $effect(() => {
    if (!placeId) return
    void call.call.revision
    const controller = new AbortController()
    const query = { place_id: placeId, ...(until ? { until } : {}) }
    ask(
      api.GET('/api/calls/{call_id}/air', {
        params: { path: { call_id: call.id }, query },
        signal: controller.signal,
      }),
    )
      .then((answer) => (view = answer))
      .catch((error) => error.name !== 'AbortError' && notices.fail(error))
    return () => controller.abort()
  })

  const BAND_KEYS = { '2.4 GHz': 'a', '5 GHz': 's', '6 GHz': 'd' } as const
  const bands = $derived(
    (view?.sheets ?? []).map(
      (s) => [BAND_KEYS[s.band], s.band, s.heard_at ? String(s.strips.length) : '–'] as const,
    ),
  )
  const move = (by: number) => {
    const ids = call.job.places.map((p) => p.id)
    placeId = ids[(ids.indexOf(placeId) + by + ids.length) % ids.length] ?? ''
  }
  const read = (file: File | undefined) => file && placeId && call.readFile(file, placeId)
  const listenHere = () => placeId && call.listen([placeId], false)
  const listenAll = () =>
    call.listen(
      call.job.places.map((p) => p.id),
      true,
    )
  const keys = onKeys({
    l: () => (call.practice ? void listenHere() : card?.available && placeId && void call.scanHere(placeId)),
    e: () => call.practice && void listenAll(),
    f: () => fileBox?.open(),
    v: () => void pasteBox?.show(),
    arrowright: () => move(1),
    arrowleft: () => move(-1),
  })
</script>

<svelte:window onkeydown={keys} />
{#if call.job.places.length === 0}
  <p class="mb-3">Rooms come first: type them here, a line each.</p>
  <Notes state={call} large />
{:else}
  <section
    aria-label="What is heard"
    ondragover={(e) => {
      e.preventDefault()
      dragging = true
    }}
    ondragleave={() => (dragging = false)}
    ondrop={(e) => {
      e.preventDefault()
      dragging = false
      void read(e.dataTransfer?.files[0])
    }}
    class={dragging ? 'outline-4 outline-offset-4 outline-(--accent) outline-dashed' : ''}
  >
    <div class="mb-3 flex flex-wrap items-end gap-3">
      <label class="grid gap-1 max-sm:w-full"
        ><span class="text-sm text-soft"
          >Place <kbd class="max-sm:hidden">Left</kbd> <kbd class="max-sm:hidden">Right</kbd></span
        >
        <Picker
          class="field"
          bind:value={placeId}
          options={call.job.places.map(
            (place) => [place.id, `${place.name}${heardAt(place.id) ? '' : ' (not listened to)'}`] as const,
          )}
        />
      </label>
      <label class="grid gap-1"
        ><span class="text-sm text-soft">Heard</span>
        <select class="field" bind:value={until} disabled={times.length < 1}>
          <option value="">{times[0] ? `newest, ${when(times[0])}` : 'not yet'}</option>
          {#each times.slice(1) as time (time)}<option value={time}>{when(time)}</option>{/each}
        </select>
      </label>
      <span class="grow"></span>
      {#if call.practice}
        <button class="button main" disabled={call.busy} onclick={listenHere}
          ><Ear size={18} />Scan here <kbd>L</kbd></button
        >
        <button class="button" disabled={call.busy} onclick={listenAll}
          ><Footprints size={18} />Everywhere, with tests <kbd>E</kbd></button
        >
      {/if}
      {#if !call.practice}
        <button
          class="button main"
          disabled={call.busy || !card?.available}
          title={card?.available ? '' : `${card?.why_not ?? ''}: ${card?.what_to_do ?? ''}`}
          onclick={() => placeId && call.scanHere(placeId)}><Ear size={18} />Scan here <kbd>L</kbd></button
        >
      {/if}
      <FileDrop
        bind:this={fileBox}
        class="button"
        label="Capture or CSV file"
        accept=".pcap,.pcapng,.cap,.csv,.txt,.json,.log"
        disabled={call.busy}
        onfile={read}><FileUp size={18} />Read a file <kbd>F</kbd></FileDrop
      >
      <a class="button" href="/api/calls/{call.id}/readings.csv" download aria-label="Readings as CSV"
        ><FileDown size={18} />CSV</a
      >
    </div>
    {#if !call.practice}
      {#if card && !card.available}<p class="mb-2 text-sm">
          <strong>No Wi-Fi card to scan with:</strong>
          {card.why_not}; {card.what_to_do}.
        </p>{/if}
      <PasteBox bind:this={pasteBox} {call} {placeId} />
    {/if}
    {#if view}
      <Views views={bands} label="The bands">
        {#snippet children(name: string)}
          {@const sheet = view?.sheets.find((s) => s.band === name)}
          {#if sheet && view}{#key `${placeId} ${until}`}<Sheet {sheet} zigbee={view.zigbee} />{/key}{/if}
        {/snippet}
      </Views>
      <p class="text-sm text-soft">
        Bars are to scale in frequency; the filled part is the channel use that a network announces, the thin
        upright its primary channel. Over the channels a full bar was measured and an empty one is assumed:
        most networks there do not announce how busy they are. Levels: longer is stronger, and closer to zero
        is stronger. Only what networks broadcast is kept. Drop a capture (pcap, pcapng) or a CSV file here to
        add it to this place.
      </p>
    {/if}
  </section>
{/if}
