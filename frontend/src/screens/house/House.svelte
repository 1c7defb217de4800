<script lang="ts">
  import { RadioGroup } from 'bits-ui'
  import { FileDown } from '@lucide/svelte'
  import PlanDrawing from '../../draw/PlanDrawing.svelte'
  import { drawingAddress } from '../../draw/plan'
  import SectionDrawing from '../../draw/SectionDrawing.svelte'
  import { api, ask } from '../../lib/api'
  import { capital, dbm, floorName } from '../../lib/format'
  import { onKeys } from '../../lib/keys'
  import type { Band, HouseView, Picture, PointView, Section, Stand, WallLine } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import { notices } from '../../state/notices.svelte'
  import BuildTools from './BuildTools.svelte'
  import HouseTools from './HouseTools.svelte'
  import LevelTools from './LevelTools.svelte'
  import ThingsHere from './ThingsHere.svelte'
  import PathLedger from './PathLedger.svelte'
  import ReadingsSay from './ReadingsSay.svelte'
  import BestSpots from './BestSpots.svelte'
  import Decisions from './Decisions.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'
  import NumberCell from '../../parts/NumberCell.svelte'
  import Views from '../../parts/Views.svelte'
  import { showPart } from '../../state/route.svelte'

  let { state: call }: { state: CallState } = $props()
  const VIEWS = [
    ['w', 'What to do'],
    ['e', 'Decibels'],
    ['x', 'Best spots'],
    ['r', 'Readings'],
  ] as const
  const path = $derived({ params: { path: { call_id: call.id } } })
  const answer = new Resource<HouseView>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/house', { ...path, signal }))
  })
  const view = $derived(answer.value)
  const building = $derived(call.job.building ?? view?.building ?? null)
  const storeys = $derived((building?.storeys ?? []).map((s) => s.level))
  const names = $derived(Object.fromEntries(call.job.nodes.map((n) => [n.id, n.name])))
  const placeNames = $derived(Object.fromEntries(call.job.places.map((p) => [p.id, p.name])))
  const bands = $derived([...new Set(call.job.nodes.flatMap((n) => n.radios.map((r) => r.band)))] as Band[])

  let mode = $state<'built' | 'levels' | 'section'>('built')
  let storey = $state(0)
  let band = $state<Band>('5 GHz')
  let nodeId = $state('')
  let direction = $state<'downlink' | 'uplink'>('downlink')
  let showOverlap = $state(false)
  /** With something on trial: draw the house as it is now instead. */
  let asNow = $state(false)
  let picture = $state<Picture | null>(null)
  let cut = $state<Section | null>(null)
  let axis = $state<'along' | 'across'>('along')
  let cutAt = $state<number | null>(null)
  let marks = $state<[number, number][]>([])
  let point = $state<{ storey: number; x_m: number; y_m: number } | null>(null)
  let paths = $state<PointView | null>(null)
  let wall = $state<WallLine | null>(null)
  let tool = $state('')
  /** A node under the finger, before it is put down. */
  let held = $state<Record<string, Stand>>({})

  const wallKey = (w: WallLine) => `${w.room_id}/${w.edge}/${w.to_room_id ?? ''}`
  const stands = $derived(Object.fromEntries((view?.stands ?? []).map((s) => [s.node_id, s.stand])))
  const moved = $derived(asNow ? {} : { ...call.stands, ...held })
  const onTrial = $derived(call.trial !== null || Object.keys(call.stands).length > 0)
  $effect(() => {
    if (!onTrial) asNow = false
  })
  /** The same drawing to scale, under the current settings. */
  const drawing = $derived(
    drawingAddress(call.id, mode, { band, direction, node_id: nodeId || null, storey, axis, at_m: cutAt }),
  )
  const ready = $derived((building?.rooms ?? []).length > 0 && Object.keys(stands).length > 0)

  $effect(() => {
    if (!storeys.includes(storey)) storey = storeys[0] ?? 0
  })
  let opened = false
  $effect(() => {
    if (!opened && ready) {
      opened = true
      mode = 'levels'
    }
  })

  // Contours follow a drag: one question at a time, always the newest.
  let asking = false
  let again = false
  async function redraw() {
    if (mode === 'built' || !ready || !(building?.rooms ?? []).some((r) => r.storey === storey)) {
      picture = null
      return
    }
    if (asking) {
      again = true
      return
    }
    asking = true
    try {
      const trial = {
        band,
        node_id: nodeId || null,
        direction,
        stands: Object.entries(moved).map(([node_id, stand]) => ({ node_id, stand })),
        settings: asNow ? null : call.trial,
      }
      if (mode === 'section') {
        const body = { ...trial, axis, at_m: cutAt }
        cut = await ask(api.POST('/api/calls/{call_id}/section', { ...path, body }))
        return
      }
      const body = { ...trial, storey }
      picture = await ask(api.POST('/api/calls/{call_id}/coverage', { ...path, body }))
      if (point?.storey === storey) {
        const { x_m, y_m } = point
        const where = { storey, x_m, y_m, height_m: 1.2, stands: body.stands, settings: body.settings }
        paths = await ask(api.POST('/api/calls/{call_id}/point', { ...path, body: where }))
      } else paths = null
    } catch (error) {
      if (!Object.keys(held).length) notices.fail(error)
    } finally {
      asking = false
      if (again) {
        again = false
        void redraw()
      }
    }
  }
  $effect(() => {
    void [
      mode,
      axis,
      cutAt,
      storey,
      band,
      nodeId,
      direction,
      asNow,
      call.call.revision,
      call.trial,
      moved,
      ready,
      point,
    ]
    void redraw()
  })

  function drag(id: string, x_m: number, y_m: number, done: boolean) {
    asNow = false
    const from = moved[id] ?? stands[id]
    if (!from) return
    const stand = { ...from, storey, x_m, y_m }
    if (!done) {
      held = { [id]: stand }
      return
    }
    held = {}
    if (Math.hypot(from.x_m - x_m, from.y_m - y_m) > 0.05 || call.stands[id] !== from)
      void call.tryStand(id, stand)
  }
  const dragRoom = (room_id: string, dx_m: number, dy_m: number) =>
    call.change(
      () => api.POST('/api/calls/{call_id}/rooms/move', { ...path, body: { room_id, dx_m, dy_m } }),
      `moved ${(building?.rooms ?? []).find((r) => r.id === room_id)?.name}`,
    )
  const keys = onKeys({
    b: () => (mode = mode === 'built' ? 'levels' : 'built'),
    f: () => (band = bands[(bands.indexOf(band) + 1) % bands.length] ?? band),
    d: () => (direction = direction === 'downlink' ? 'uplink' : 'downlink'),
    o: () => (showOverlap = !showOverlap),
    n: () => (asNow = onTrial && !asNow),
    pageup: () => (storey = storeys[Math.min(storeys.indexOf(storey) + 1, storeys.length - 1)] ?? storey),
    pagedown: () => (storey = storeys[Math.max(storeys.indexOf(storey) - 1, 0)] ?? storey),
    s: () => (mode = 'section'),
    escape: () => {
      tool = ''
      marks = []
      wall = null
    },
    '/': () => {
      mode = 'built'
      queueMicrotask(() => document.querySelector<HTMLInputElement>('#typed-room')?.focus())
    },
  })
</script>

<svelte:window onkeydown={keys} />
<div class="mb-3 flex flex-wrap items-end gap-x-4 gap-y-2">
  <RadioGroup.Root bind:value={mode} orientation="horizontal" class="flex gap-1" aria-label="What is drawn">
    {#each [['built', 'Floor plan'], ['levels', 'Levels'], ['section', 'Section']] as [value, label] (value)}
      <RadioGroup.Item
        value={value!}
        class="button slim data-[state=checked]:border-accent data-[state=checked]:font-bold data-[state=checked]:shadow-[inset_0_-3px_0_var(--accent)]"
        >{label}</RadioGroup.Item
      >
    {/each}
    <kbd class="self-center">B</kbd>
    <kbd class="self-center">S</kbd>
  </RadioGroup.Root>
  {#if mode !== 'section'}<RadioGroup.Root
      value={String(storey)}
      onValueChange={(v) => (storey = Number(v))}
      orientation="horizontal"
      class="flex gap-1"
      aria-label="Floor"
    >
      {#each storeys as level (level)}
        <RadioGroup.Item
          value={String(level)}
          class="button slim data-[state=checked]:border-accent data-[state=checked]:font-bold data-[state=checked]:shadow-[inset_0_-3px_0_var(--accent)]"
          >{capital(floorName(level).replace(' floor', ''))}</RadioGroup.Item
        >
      {/each}
      <kbd class="self-center">PgUp</kbd>
    </RadioGroup.Root>{/if}
  {#if mode !== 'built'}
    <label class="flex items-center gap-1 text-sm text-soft"
      >Band <kbd>F</kbd>
      <Picker class="field slim text-ink" bind:value={band} options={bands} /></label
    >
    <Field label="Node" beside
      ><Picker
        class="field slim text-ink"
        bind:value={nodeId}
        options={call.job.nodes.map((node) => [node.id, node.name] as const)}
        empty="the loudest"
      /></Field
    >
    <label class="flex items-center gap-1 text-sm text-soft"
      >Way <kbd>D</kbd>
      <select class="field slim text-ink" bind:value={direction}
        ><option value="downlink">to the device</option><option value="uplink">from a phone</option></select
      ></label
    >
    {#if onTrial}
      <RadioGroup.Root
        value={asNow ? 'now' : 'trial'}
        onValueChange={(v) => (asNow = v === 'now')}
        orientation="horizontal"
        class="flex gap-1"
        aria-label="Now or trial"
      >
        {#each [['now', 'Now'], ['trial', 'On trial']] as [value, label] (value)}
          <RadioGroup.Item
            value={value!}
            class="button slim data-[state=checked]:border-accent data-[state=checked]:font-bold data-[state=checked]:shadow-[inset_0_-3px_0_var(--accent)]"
            >{label}</RadioGroup.Item
          >
        {/each}
        <kbd class="self-center">N</kbd>
      </RadioGroup.Root>
    {/if}
    {#if mode === 'section'}
      <Field label="Cut" beside
        ><select class="field slim text-ink" bind:value={axis} onchange={() => (cutAt = null)}
          ><option value="along">along the house</option><option value="across">across it</option></select
        ></Field
      >
      {#if cut}<Field label="at {axis === 'along' ? 'y' : 'x'}, m" beside
          ><NumberCell
            class="field slim w-20 text-ink"
            step="0.25"
            value={cutAt ?? cut.at_m}
            onpick={(n) => (cutAt = n)}
          /></Field
        >{/if}
    {/if}
  {/if}
</div>
<div class="grid grid-cols-[minmax(0,1fr)] gap-4 lg:grid-cols-[minmax(0,1fr)_21rem]">
  <div class="grid min-w-0 grid-cols-[minmax(0,1fr)] content-start gap-4">
    <section class="page p-2!" aria-label="Plan">
      {#if mode === 'section'}
        {#if cut && ready}<SectionDrawing section={cut} {names} {placeNames} />{/if}
      {:else if view && building}
        <PlanDrawing
          {building}
          {view}
          {storey}
          {stands}
          {moved}
          {names}
          {showOverlap}
          {marks}
          places={call.job.places}
          photoBase={mode === 'built' ? `/api/calls/${call.id}/photo` : ''}
          picture={mode === 'levels' ? picture : null}
          chosen={mode === 'built' && wall ? wallKey(wall) : ''}
          point={mode === 'levels' && point?.storey === storey ? point : null}
          onpoint={(x_m, y_m) => {
            point = { storey, x_m, y_m }
            if (mode === 'levels') showPart('decibels')
          }}
          onwall={mode === 'built' && !tool ? (w) => (wall = w) : undefined}
          ondrag={mode === 'levels' ? drag : undefined}
          onroom={mode === 'built' && !tool ? dragRoom : undefined}
        />
      {/if}
      {#if mode !== 'built' && ready}
        <div class="flex flex-wrap items-start gap-x-4 gap-y-1 px-2 pb-1 text-sm">
          <p class="min-w-64 flex-1 text-soft">
            Lines: dBm, every 5 dB; the thick one {dbm((picture ?? cut)?.design_dbm)}, the design level.
            Hatched: known to ±{(picture ?? cut)?.unsure_db} dB or worse.
            {#if mode === 'levels'}+ spot, with its dB against what is needed there.{:else}Cut through walls
              and floors.{/if}
          </p>
          {#if mode === 'levels'}
            <label class="flex items-center gap-1"
              ><input type="checkbox" class="size-5" bind:checked={showOverlap} />where a second node could
              take over <kbd>O</kbd></label
            >
          {/if}
          <a class="button slim no-print" href={drawing} download><FileDown size={16} />SVG</a>
        </div>
      {/if}
      {#if mode !== 'built' && !ready}
        <p class="p-3 text-soft">To see levels, type the rooms under “Floor plan” and place the nodes.</p>
      {/if}
    </section>
    {#if mode === 'built' && building}
      <div class="grid items-start gap-4 md:grid-cols-2">
        <ThingsHere {call} {building} {view} {storey} />
        <HouseTools {call} {building} {view} {storey} bind:tool bind:marks />
      </div>
    {/if}
    {#if mode === 'levels' && ready}
      <Views views={VIEWS} label="What follows from the levels">
        {#snippet children(part)}
          {#if part === 'What to do'}<Decisions {call} />
          {:else if part === 'Decibels'}<PathLedger {paths} />
          {:else if part === 'Best spots'}<BestSpots {call} heightM={view?.new_stand.height_m ?? 0} />
          {:else}<ReadingsSay {view} />{/if}
        {/snippet}
      </Views>
    {/if}
  </div>
  {#if mode === 'built' && building}
    <BuildTools {call} {building} {view} {storey} bind:wall bind:tool bind:point bind:marks />
  {:else}
    <LevelTools
      {call}
      picture={mode === 'levels' ? picture : null}
      {view}
      {stands}
      {moved}
      {band}
      {direction}
    />
  {/if}
</div>
