<script lang="ts">
  import { RadioGroup } from 'bits-ui'
  import PlanDrawing from '../../draw/PlanDrawing.svelte'
  import { api, ask } from '../../lib/api'
  import { onKeys } from '../../lib/keys'
  import type { Band, HouseView, Picture, PointView, Stand, WallLine } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { notices } from '../../state/notices.svelte'
  import BuildTools from './BuildTools.svelte'
  import LevelTools from './LevelTools.svelte'
  import PathLedger from './PathLedger.svelte'
  import BestSpots from './BestSpots.svelte'

  let { state: call }: { state: CallState } = $props()
  let view = $state<HouseView | null>(null)
  const building = $derived(call.job.building ?? view?.building ?? null)
  const storeys = $derived((building?.storeys ?? []).map((s) => s.level))
  const names = $derived(Object.fromEntries(call.job.nodes.map((n) => [n.id, n.name])))
  const bands = $derived([...new Set(call.job.nodes.flatMap((n) => n.radios.map((r) => r.band)))] as Band[])

  let mode = $state<'built' | 'levels'>('built')
  let storey = $state(0)
  let band = $state<Band>('5 GHz')
  let nodeId = $state('')
  let direction = $state<'downlink' | 'uplink'>('downlink')
  let showOverlap = $state(false)
  let picture = $state<Picture | null>(null)
  let point = $state<{ storey: number; x_m: number; y_m: number } | null>(null)
  let paths = $state<PointView | null>(null)
  let wall = $state<WallLine | null>(null)
  let tool = $state('')
  /** A node under the finger, before it is put down. */
  let held = $state<Record<string, Stand>>({})

  const wallKey = (w: WallLine) => `${w.room_id}/${w.edge}/${w.to_room_id ?? ''}`
  const stands = $derived(Object.fromEntries((view?.stands ?? []).map((s) => [s.node_id, s.stand])))
  const moved = $derived({ ...call.stands, ...held })
  const path = $derived({ params: { path: { call_id: call.id } } })
  const ready = $derived((building?.rooms ?? []).length > 0 && Object.keys(stands).length > 0)

  $effect(() => {
    if (!storeys.includes(storey)) storey = storeys[0] ?? 0
  })
  $effect(() => {
    void call.call.revision
    ask(api.GET('/api/calls/{call_id}/house', path))
      .then((found) => (view = found))
      .catch((error) => notices.fail(error))
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
    if (mode !== 'levels' || !ready || !(building?.rooms ?? []).some((r) => r.storey === storey)) {
      picture = null
      return
    }
    if (asking) {
      again = true
      return
    }
    asking = true
    try {
      const body = {
        storey,
        band,
        node_id: nodeId || null,
        direction,
        stands: Object.entries(moved).map(([node_id, stand]) => ({ node_id, stand })),
        settings: call.trial,
      }
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
    void [mode, storey, band, nodeId, direction, call.call.revision, call.trial, moved, ready, point]
    void redraw()
  })

  function drag(id: string, x_m: number, y_m: number, done: boolean) {
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
  const keys = onKeys({
    b: () => (mode = mode === 'built' ? 'levels' : 'built'),
    f: () => (band = bands[(bands.indexOf(band) + 1) % bands.length] ?? band),
    d: () => (direction = direction === 'downlink' ? 'uplink' : 'downlink'),
    o: () => (showOverlap = !showOverlap),
    pageup: () => (storey = storeys[Math.min(storeys.indexOf(storey) + 1, storeys.length - 1)] ?? storey),
    pagedown: () => (storey = storeys[Math.max(storeys.indexOf(storey) - 1, 0)] ?? storey),
    '/': () => {
      mode = 'built'
      queueMicrotask(() => document.querySelector<HTMLInputElement>('#typed-room')?.focus())
    },
  })
</script>

<svelte:window onkeydown={keys} />
<div class="mb-3 flex flex-wrap items-end gap-x-4 gap-y-2">
  <RadioGroup.Root bind:value={mode} orientation="horizontal" class="flex gap-1" aria-label="What is drawn">
    {#each [['built', 'As built'], ['levels', 'Levels']] as [value, label] (value)}
      <RadioGroup.Item
        value={value!}
        class="button slim data-[state=checked]:border-accent data-[state=checked]:font-bold data-[state=checked]:shadow-[inset_0_-3px_0_var(--accent)]"
        >{label}</RadioGroup.Item
      >
    {/each}
    <kbd class="self-center">B</kbd>
  </RadioGroup.Root>
  <RadioGroup.Root
    value={String(storey)}
    onValueChange={(v) => (storey = Number(v))}
    orientation="horizontal"
    class="flex gap-1"
    aria-label="Storey"
  >
    {#each storeys as level (level)}
      <RadioGroup.Item
        value={String(level)}
        class="button slim data-[state=checked]:border-accent data-[state=checked]:font-bold data-[state=checked]:shadow-[inset_0_-3px_0_var(--accent)]"
        >{level === 0 ? 'Ground' : `Storey ${level}`}</RadioGroup.Item
      >
    {/each}
    <kbd class="self-center">PgUp</kbd>
  </RadioGroup.Root>
  {#if mode === 'levels'}
    <label class="flex items-center gap-1 text-sm text-soft"
      >Band <kbd>F</kbd>
      <select class="field slim text-ink" bind:value={band}
        >{#each bands as b (b)}<option>{b}</option>{/each}</select
      ></label
    >
    <label class="flex items-center gap-1 text-sm text-soft"
      >Node
      <select class="field slim text-ink" bind:value={nodeId}>
        <option value="">the loudest</option>
        {#each call.job.nodes as node (node.id)}<option value={node.id}>{node.name}</option>{/each}
      </select></label
    >
    <label class="flex items-center gap-1 text-sm text-soft"
      >Way <kbd>D</kbd>
      <select class="field slim text-ink" bind:value={direction}
        ><option value="downlink">to the device</option><option value="uplink">from a phone</option></select
      ></label
    >
    <label class="flex items-center gap-1 text-sm"
      ><input type="checkbox" class="size-5" bind:checked={showOverlap} />overlap <kbd>O</kbd></label
    >
  {/if}
</div>
<div class="grid grid-cols-[minmax(0,1fr)] gap-4 lg:grid-cols-[minmax(0,1fr)_21rem]">
  <div class="grid min-w-0 grid-cols-[minmax(0,1fr)] content-start gap-4">
    <section class="page p-2!" aria-label="Plan">
      {#if view && building}
        <PlanDrawing
          {building}
          {view}
          {storey}
          {stands}
          {moved}
          {names}
          {showOverlap}
          places={call.job.places}
          picture={mode === 'levels' ? picture : null}
          chosen={mode === 'built' && wall ? wallKey(wall) : ''}
          point={mode === 'levels' && point?.storey === storey ? point : null}
          onpoint={(x_m, y_m) => {
            point = { storey, x_m, y_m }
          }}
          onwall={mode === 'built' && !tool ? (w) => (wall = w) : undefined}
          ondrag={mode === 'levels' ? drag : undefined}
        />
      {/if}
      {#if mode === 'levels' && !ready}
        <p class="p-3 text-soft">
          Levels come with rooms and a node that stands in them: type rooms under “As built”, then place the
          nodes.
        </p>
      {/if}
    </section>
    {#if mode === 'levels' && ready}
      <div class="grid items-start gap-4 md:grid-cols-2">
        <PathLedger {paths} />
        <BestSpots {call} heightM={view?.new_stand.height_m ?? 0} />
      </div>
    {/if}
  </div>
  {#if mode === 'built' && building}
    <BuildTools {call} {building} {view} {storey} bind:wall bind:tool bind:point />
  {:else}
    <LevelTools {call} {picture} {view} {stands} {moved} {direction} />
  {/if}
</div>
