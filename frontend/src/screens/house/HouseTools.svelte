<script lang="ts">
  import { fixed, floorName } from '../../lib/format'
  import { FileDown, FileUp, ImageUp } from '@lucide/svelte'
  import { api, sendFile } from '../../lib/api'
  import type { Building, Call, HouseView, Patch } from '../../lib/types'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'
  import { notices } from '../../state/notices.svelte'
  import FileDrop from '../../parts/FileDrop.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'
  import NumberCell from '../../parts/NumberCell.svelte'
  import Tick from '../../parts/Tick.svelte'

  interface Props {
    call: CallState
    building: Building
    view: HouseView | null
    storey: number
    tool: string
    marks: [number, number][]
  }
  let { call, building, view, storey, tool = $bindable(), marks = $bindable() }: Props = $props()
  let sending = $state('')
  let apartM = $state(5)

  const here = $derived((building.storeys ?? []).find((s) => s.level === storey) ?? null)
  const photo = $derived((building.underlays ?? []).find((u) => u.storey === storey) ?? null)
  const path = $derived({ params: { path: { call_id: call.id } } })
  const change = (part: Patch<Building>, summary: string) => call.set({ building: part }, summary)
  const changeStorey = (part: Patch<NonNullable<typeof here>>, summary: string) =>
    call.alter('storeys', String(storey), part, summary)
  function partySide(side: (typeof rules.offered.sides)[number], on: boolean) {
    const kept = (building.party_walls ?? []).filter((s) => s !== side)
    return change(
      { party_walls: on ? [...kept, side] : kept },
      on ? `a party wall: ${side}` : `no party wall: ${side}`,
    )
  }
  async function send(file: File | undefined, to: string, what: string) {
    if (!file) return
    sending = what
    try {
      call.take(
        await sendFile<Call>(`/api/calls/${call.id}/${to}`, file, (f) => {
          sending = `${what}, ${Math.round(f * 100)} %`
        }),
      )
      notices.say(`Read ${file.name}.`)
    } catch (error) {
      notices.fail(error)
    } finally {
      sending = ''
    }
  }
  $effect(() => {
    if (tool === 'photo:move' && marks.length === 2) void movePhoto()
  })
  const [first, second] = $derived(marks as [[number, number], [number, number]])
  async function scalePhoto(event: SubmitEvent) {
    event.preventDefault()
    const body = { storey, a: first, b: second, length_m: apartM, straighten: true }
    await call.change(
      () => api.POST('/api/calls/{call_id}/photo/scale', { ...path, body }),
      'the photograph is to scale',
    )
    done()
  }
  async function movePhoto() {
    const body = { storey, start: first, end: second }
    await call.change(
      () => api.POST('/api/calls/{call_id}/photo/move', { ...path, body }),
      'moved the photograph',
    )
    done()
  }
  function done() {
    tool = ''
    marks = []
  }
  const noPhoto = () =>
    call.change(
      () =>
        api.DELETE('/api/calls/{call_id}/photo', {
          params: { path: { call_id: call.id }, query: { storey } },
        }),
      'removed the photograph',
    )
</script>

<section class="page grid gap-2">
  <h2>House</h2>
  <div class="flex flex-wrap gap-2">
    <Picker
      class="field slim"
      aria-label="House type"
      value={building.house_type ?? 'brick terrace'}
      onchange={(e) =>
        change({ house_type: e.currentTarget.value as Building['house_type'] }, 'changed the house type')}
      options={view?.house_types ?? []}
    />
    <select
      class="field slim"
      aria-label="Units"
      value={building.units ?? 'metric'}
      onchange={(e) => change({ units: e.currentTarget.value as Building['units'] }, 'changed the units')}
      ><option value="metric">metres</option><option value="feet">feet</option></select
    >
    <span class="self-center text-sm text-soft">{fixed(view?.area_m2)} m² of rooms</span>
  </div>
  <fieldset class="flex flex-wrap items-center gap-x-3 text-sm">
    <legend class="float-left mr-2 text-soft">Party walls</legend>
    {#each rules.offered.sides as side (side)}
      <Tick checked={(building.party_walls ?? []).includes(side)} onpick={(on) => partySide(side, on)}
        >{side}</Tick
      >
    {/each}
  </fieldset>
  {#if here}
    <div class="flex flex-wrap items-center gap-2 text-sm">
      <Field label="This floor is high, m" beside
        ><NumberCell
          class="field slim w-16 text-ink"
          min="1.5"
          max="12"
          step="0.05"
          value={here.height_m ?? 2.7}
          onpick={(n) => changeStorey({ height_m: n }, `changed the height of the ${floorName(storey)}`)}
        /></Field
      >
      <Field label="floor" beside
        ><Picker
          class="field slim text-ink"
          value={here.floor?.material ?? ''}
          onchange={(e) =>
            changeStorey(
              {
                floor: e.currentTarget.value
                  ? {
                      material: e.currentTarget.value as 'concrete',
                      thickness_m: here.floor?.thickness_m ?? 0.15,
                      leaves: 1,
                    }
                  : null,
              },
              `changed what the ${floorName(storey)} is made of`,
            )}
          options={(view?.materials ?? []).filter((m) => m !== 'open')}
          empty="as the house type"
        /></Field
      >
      {#if here.floor}
        <Field label="mm" beside
          ><NumberCell
            class="field slim w-20 text-ink"
            min="1"
            max="2000"
            step="any"
            value={Math.round(here.floor.thickness_m * 1000)}
            onpick={(n) =>
              changeStorey(
                { floor: { ...here.floor!, thickness_m: n / 1000 } },
                `changed what the ${floorName(storey)} is made of`,
              )}
          /></Field
        >
      {:else}<span class="text-soft">{view?.floors[storey] ?? ''}</span>{/if}
    </div>
  {/if}
  <div class="flex flex-wrap items-center gap-2">
    <FileDrop
      class="button slim"
      label="Photograph of a plan"
      accept="image/*"
      disabled={!!sending}
      onfile={(file) => send(file, `photo?storey=${storey}`, 'sending the photograph')}
      ><ImageUp size={16} />{photo ? 'Another photograph' : 'Photograph of a plan'}</FileDrop
    >
    {#if photo}
      <button class="button slim" class:main={tool === 'photo:scale'} onclick={() => (tool = 'photo:scale')}
        >Scale it</button
      >
      <button class="button slim" class:main={tool === 'photo:move'} onclick={() => (tool = 'photo:move')}
        >Move it</button
      >
      <button class="button slim" onclick={noPhoto}>Take it away</button>
    {/if}
    {#if sending}<span class="text-sm text-soft" role="status">{sending}</span>{/if}
  </div>
  {#if tool === 'photo:scale'}
    <form class="flex flex-wrap items-center gap-2 text-sm" onsubmit={scalePhoto}>
      {#if marks.length < 2}
        <p class="font-semibold text-accent">
          Click the {marks.length ? 'second' : 'first'} of two points on the photograph, far apart.
        </p>
      {:else}
        <label class="flex items-center gap-1"
          >They are apart by, m
          <input
            class="field slim w-20"
            type="number"
            min="0.1"
            max="200"
            step="any"
            bind:value={apartM}
          /></label
        >
        <button class="button slim main">Scale</button>
      {/if}
      <button type="button" class="button slim" onclick={done}>Leave it</button>
    </form>
  {:else if tool === 'photo:move'}
    <p class="text-sm font-semibold text-accent">
      Click {marks.length ? 'where that point belongs' : 'a point of the photograph'}.
    </p>
  {/if}
  <div class="flex flex-wrap items-center gap-2">
    <FileDrop
      class="button slim"
      label="House as GeoJSON"
      accept=".json,.geojson"
      disabled={!!sending}
      onfile={(file) => send(file, 'house.geojson', 'reading the house')}
      ><FileUp size={16} />Read GeoJSON</FileDrop
    >
    <a class="button slim" href="/api/calls/{call.id}/house.geojson" download><FileDown size={16} />GeoJSON</a
    >
    <a class="button slim" href="/api/calls/{call.id}/plan.svg?storey={storey}" download
      ><FileDown size={16} />Plan, SVG</a
    >
  </div>
</section>
