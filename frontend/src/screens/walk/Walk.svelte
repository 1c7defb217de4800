<script lang="ts">
  import { ArrowRight, Check, Ear, FileUp, Footprints, Gauge, Keyboard, Square } from '@lucide/svelte'
  import { untrack } from 'svelte'
  import { api, ask, Failure } from '../../lib/api'
  import { fixed, plural, prose } from '../../lib/format'
  import { onKeys } from '../../lib/keys'
  import type { InstrumentView, LinkView, Route } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import { waiting } from '../../state/waiting.svelte'
  import { WalkState, type Way } from '../../state/walk.svelte'
  import Keypad from './Keypad.svelte'
  import LineOrWifi from './LineOrWifi.svelte'
  import LiveCapture from './LiveCapture.svelte'
  import LinkTest from './LinkTest.svelte'
  import ReadWith from './ReadWith.svelte'
  import RoundList from './RoundList.svelte'
  import Notes from '../ask/Notes.svelte'
  import OwnNetworks from './OwnNetworks.svelte'
  import PasteBox from './PasteBox.svelte'
  import SpeedForm from './SpeedForm.svelte'
  import SpotLevels from './SpotLevels.svelte'
  import TraceDrawing from './TraceDrawing.svelte'
  import FileDrop from '../../parts/FileDrop.svelte'
  import Picker from '../../parts/Picker.svelte'

  let { state: call }: { state: CallState } = $props()
  /** Begun anew for another call only: what is kept of this one must not end a walk or a reading. */
  const walk = $derived.by(() => {
    const of = call
    return untrack(() => new WalkState(of))
  })
  /** What something that waits to be sent is called. */
  const WAITS = {
    reading: 'reading',
    typed: 'reading',
    scan: 'scan',
    trace: 'walk',
    'link test': 'link test',
    tick: 'tick',
  }
  let routeNote = $state('')
  let testing = $state(false)
  let tester = $state<ReturnType<typeof LinkTest>>()
  let fileBox = $state<ReturnType<typeof FileDrop>>()
  let dragging = $state(false)

  const path = $derived({ params: { path: { call_id: call.id } } })
  /** A route needs the house as built, and two placed spots. */
  const routable = $derived(
    !!call.job.building?.rooms.length && call.job.places.filter((p) => p.x_m != null).length > 1,
  )
  const route = new Resource<Route | null>(
    (signal) => {
      void call.call.revision
      const from = walk.placeId || undefined
      if (!routable) return Promise.resolve(null)
      const params = { ...path.params, query: from ? { from_place_id: from } : {} }
      return ask(api.GET('/api/calls/{call_id}/route', { params, signal }))
    },
    (error) => {
      if (error instanceof Failure && error.body?.field !== 'connection') routeNote = error.message
    },
  )
  const links = new Resource<LinkView>(
    (signal) => {
      void call.call.revision
      return ask(api.GET('/api/calls/{call_id}/link', { ...path, signal }))
    },
    () => {},
  )
  const instruments = new Resource<InstrumentView[]>((signal) =>
    ask(api.GET('/api/calls/{call_id}/instruments', { ...path, signal })),
  )
  const card = $derived(instruments.value?.find((i) => i.kind === 'card') ?? null)
  const iperf3 = $derived(instruments.value?.find((i) => i.kind === 'iperf3') ?? null)
  const round = $derived(route.value)
  const link = $derived(links.value)
  let pasteBox = $state<PasteBox>()
  const place = $derived(call.job.places.find((p) => p.id === walk.placeId))
  const stop = $derived(round?.stops.find((s) => s.place_id === walk.placeId) ?? null)
  const next = $derived(round?.stops.find((s) => s.place_id !== walk.placeId) ?? null)
  const nameOf = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id
  const count = $derived(call.job.scans.filter((l) => l.place_id === walk.placeId).length)
  const spotNote = $derived(
    [
      place?.x_m != null ? `hold it ${fixed(place.height_m ?? 1.2, 1)} m above the floor` : '',
      count ? `${plural(count, 'scan')} here so far` : 'nothing read here yet',
      prose(stop?.reason ?? ''),
    ]
      .filter(Boolean)
      .join('; '),
  )
  const queue = $derived(waiting.of(call.id))
  /** Where a walk can lead: spots that are placed, the next of the round first. */
  const reachable = $derived(
    call.job.places
      .filter((p) => p.id !== walk.placeId && p.x_m != null && place?.x_m != null)
      .sort((a, b) => Number(b.id === next?.place_id) - Number(a.id === next?.place_id)),
  )
  let walkTo = $state('')
  const target = $derived(reachable.find((p) => p.id === walkTo)?.id ?? reachable[0]?.id ?? '')

  $effect(() => {
    if (route.value) routeNote = ''
    if (call.atPlace) {
      walk.go(call.atPlace)
      call.atPlace = ''
      return
    }
    if (route.asked && !walk.placeId)
      walk.placeId = route.value?.stops[0]?.place_id ?? call.job.places[0]?.id ?? ''
  })
  $effect(() => {
    void waiting.send((c) => c.id === call.id && call.take(c))
  })

  const read = (file: File | undefined) => file && walk.placeId && call.readFile(file, walk.placeId)
  const step = (by: number) => {
    const ids = call.job.places.map((p) => p.id)
    walk.go(ids[(ids.indexOf(walk.placeId) + by + ids.length) % ids.length])
  }
  const cardReads = $derived(call.practice || !!card?.available)
  /** Levels by eye, or read by what reads by itself. */
  const toggleTyped = () => (walk.way = walk.way === 'typed' && cardReads ? 'scanner' : 'typed')
  const toggle = (way: Way) => (walk.way = walk.way === way ? walk.first : way)
  function begin() {
    if (walk.way === 'link') return tester?.start()
    if (walk.way === 'trace') return startWalk()
    if (cardReads) return walk.read()
  }
  function startWalk() {
    if (walk.walking) return walk.arrive()
    const a = place
    const b = call.job.places.find((p) => p.id === target)
    if (!a || !b) return
    return walk.walk(target, Math.hypot((a.x_m ?? 0) - (b.x_m ?? 0), (a.y_m ?? 0) - (b.y_m ?? 0)))
  }
  const keys = onKeys({
    ' ': () => void begin(),
    enter: () => void walk.keep(next?.place_id),
    n: () => walk.go(next?.place_id),
    t: toggleTyped,
    k: () => toggle('link'),
    s: () => toggle('speed'),
    v: () => pasteBox?.show(),
    c: () => card?.available && !call.practice && void call.scanHere(walk.placeId),
    w: () => call.practice && toggle('trace'),
    f: () => fileBox?.open(),
    arrowright: () => step(1),
    arrowleft: () => step(-1),
  })
</script>

<svelte:window onkeydown={keys} />
{#if call.job.places.length === 0 || call.job.nodes.length === 0}
  <p class="mb-3">
    Rooms and the router come first: type them here, a line each, such as <code>router, hall</code>.
  </p>
  <Notes state={call} large />
{:else}
  <div class="mx-auto grid max-w-4xl items-start gap-4 sm:grid-cols-[minmax(0,1fr)_19rem]">
    <section
      class="page grid grid-cols-[minmax(0,1fr)] content-start gap-3 {dragging
        ? 'outline-4 outline-offset-4 outline-(--accent) outline-dashed'
        : ''}"
      aria-label="This spot"
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
    >
      {#if queue.length}
        <p class="rounded border-2 border-accent px-3 py-2 font-semibold" role="status">
          {plural(queue.length, 'reading')}
          {queue.length === 1 ? 'waits' : 'wait'} in this browser{waiting.held
            ? `. ${waiting.held} Go on: they are sent again by themselves.`
            : '.'}
        </p>
      {/if}
      {#each waiting.refusedOf(call.id) as refused (refused.waiting.id)}
        <p class="flex flex-wrap items-center gap-2 font-semibold text-accent" role="alert">
          <span>The {WAITS[refused.waiting.kind]} was refused: {prose(refused.why)}</span>
          <button class="button slim" onclick={() => waiting.forget(refused.waiting.id)}>Understood</button>
        </p>
      {/each}
      <div class="flex items-baseline gap-2">
        <Picker
          class="field grow text-2xl font-bold"
          aria-label="Spot"
          value={walk.placeId}
          disabled={!!walk.walking || testing}
          onchange={(e) => walk.go(e.currentTarget.value)}
          options={call.job.places.map((p) => [p.id, p.name] as const)}
        />
      </div>
      <p class="-mt-2 text-soft">
        {spotNote}
      </p>
      {#if !call.practice}<LiveCapture {call} placeId={walk.placeId} {nameOf} />{/if}
      {#if walk.way === 'typed'}
        <Keypad
          radios={call.job.nodes.flatMap((n) => n.radios.map((r) => ({ ...r, node: n.name })))}
          {walk}
        />
      {:else if walk.way === 'link'}
        <LinkTest bind:this={tester} {call} placeId={walk.placeId} {link} bind:running={testing} />
      {:else if walk.way === 'speed'}
        <SpeedForm {call} placeId={walk.placeId} {iperf3} />
      {:else if walk.way === 'trace'}
        <div class="grid grid-cols-[minmax(0,1fr)] gap-2">
          <label class="flex items-center gap-2"
            >Walk straight to
            <Picker
              class="field grow"
              bind:value={() => target, (v) => (walkTo = v)}
              disabled={!!walk.walking}
              options={reachable.map((p) => [p.id, p.name] as const)}
            /></label
          >
          <button
            class="button main min-h-16! justify-center text-lg"
            disabled={!target}
            onclick={() => void startWalk()}
            >{#if walk.walking}<Square size={20} />I am there{:else}<Footprints size={20} />Walk now{/if}
            <kbd>Space</kbd></button
          >
          {#if walk.walking}<p class="text-center" role="status">
              {fixed(walk.walking.lastS)} s, {plural(walk.traced.length, 'level')}. Keep a steady pace.
            </p>{/if}
          {#if walk.told}<TraceDrawing trace={walk.told} {nameOf} />
          {:else if call.job.traces?.length && !walk.walking}
            <ul class="text-sm">
              {#each [...call.job.traces].reverse().slice(0, 5) as t (t.id)}
                <li>
                  <button class="underline" onclick={() => walk.tell(t.id)}
                    >{nameOf(t.from_place_id)} to {nameOf(t.to_place_id)}</button
                  >
                </li>
              {/each}
            </ul>
          {/if}
        </div>
      {:else}
        <SpotLevels {call} sampled={walk.sampled} lost={walk.lost} />
      {/if}
      {#if walk.way === 'scanner' || walk.way === 'typed'}<ReadWith {call} {walk} />{/if}
      <div
        class="grid grid-cols-2 gap-2 {walk.way === 'scanner' || walk.way === 'typed'
          ? 'max-sm:sticky max-sm:bottom-0 max-sm:bg-sheet max-sm:py-2'
          : ''}"
      >
        {#if walk.way === 'scanner' || walk.way === 'typed'}
          {#if cardReads}<button
              class="button min-h-16! justify-center text-lg"
              class:main={!walk.canKeep}
              onclick={() => walk.read()}
              >{#if walk.reading}<Square size={20} />Stop{:else}{call.practice
                  ? 'Read'
                  : 'Read with the card'}{/if} <kbd>Space</kbd></button
            >{/if}
          <button
            class="button min-h-16! justify-center text-lg"
            class:main={walk.canKeep}
            disabled={!walk.canKeep}
            onclick={() => walk.keep(next?.place_id)}
            ><Check size={20} />Keep{next ? ', next' : ''} <kbd>Enter</kbd></button
          >
        {/if}
        {#if cardReads}<button class="button justify-center" onclick={toggleTyped}
            ><Keyboard size={18} />{walk.way === 'typed' ? 'Scanner' : 'Type it'} <kbd>T</kbd></button
          >{/if}
        <button class="button justify-center" disabled={!next} onclick={() => walk.go(next?.place_id)}
          ><ArrowRight size={18} />{next ? 'Skip' : 'Last spot'} <kbd>N</kbd></button
        >
      </div>
      <div class="flex flex-wrap gap-2">
        <button class="button slim" class:main={walk.way === 'link'} onclick={() => toggle('link')}
          ><Gauge size={16} />Link test <kbd>K</kbd></button
        >
        {#if call.practice}<button
            class="button slim"
            class:main={walk.way === 'trace'}
            onclick={() => toggle('trace')}><Footprints size={16} />Walk and read <kbd>W</kbd></button
          >{/if}
        <button class="button slim" class:main={walk.way === 'speed'} onclick={() => toggle('speed')}
          ><Gauge size={16} />Speed test <kbd>S</kbd></button
        >
        {#if card?.available && !call.practice}<button
            class="button slim"
            disabled={call.busy}
            onclick={() => call.scanHere(walk.placeId)}><Ear size={16} />Scan here <kbd>C</kbd></button
          >{/if}
        <FileDrop
          bind:this={fileBox}
          class="button slim"
          label="Capture or CSV file"
          accept=".pcap,.pcapng,.cap,.csv,.txt,.json,.log"
          disabled={call.busy}
          onfile={read}><FileUp size={16} />Capture or CSV <kbd>F</kbd></FileDrop
        >
      </div>
      {#if !call.practice}<PasteBox bind:this={pasteBox} {call} placeId={walk.placeId} />{/if}
    </section>
    <div class="grid grid-cols-[minmax(0,1fr)] gap-4">
      <OwnNetworks {call} />
      <RoundList
        {round}
        note={routable
          ? routeNote
          : 'Enter the house under House: then the spots that teach most come first.'}
        placeId={walk.placeId}
        {nameOf}
        go={(id) => walk.go(id)}
      />
      <LineOrWifi {call} {link} />
    </div>
  </div>
{/if}
