<script lang="ts">
  import { Plus, X } from '@lucide/svelte'
  import { dbm } from '../../lib/format'
  import type { Band, HouseView, Node, Stand } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import Picker from '../../parts/Picker.svelte'
  import NumberCell from '../../parts/NumberCell.svelte'
  import Tick from '../../parts/Tick.svelte'

  interface Props {
    call: CallState
    view: HouseView | null
    stands: Record<string, Stand>
    moved: Record<string, Stand>
    band: Band
  }
  let { call, view, stands, moved, band }: Props = $props()
  const outlets = $derived((call.job.building?.outlets ?? []).filter((o) => (o.cable_drops ?? 0) > 0))
  const nodeOf = (id: string) => call.job.nodes.find((n) => n.id === id)
  const drop = (id: string, name: string) => outlets.find((o) => o.id === id)?.name ?? name

  function antennas(id: string, stand: Stand, antennas: Stand['antennas']) {
    return call.tryStand(id, { ...stand, antennas })
  }
  const setNode = (id: string, part: Partial<Node>, summary: string) => call.alter('nodes', id, part, summary)
</script>

<section class="page" aria-label="Nodes">
  <h2 class="mb-1">Placement</h2>
  {#each Object.entries({ ...stands, ...moved }) as [id, stand] (id)}
    {@const node = nodeOf(id)}
    {@const radio = node?.radios.find((r) => r.band === band)}
    {@const setting = radio && call.settings.radios.find((s) => s.radio_id === radio.id)}
    <div class="grid gap-1 border-t border-(--rule) py-2 text-sm first-of-type:border-0">
      <div class="flex flex-wrap items-center gap-1">
        <span class="w-full font-semibold">{node?.name}</span>
        <Picker
          class="field slim grow"
          aria-label="Mounting of {id}"
          value={stand.mounting}
          onchange={(e) =>
            call.tryStand(id, { ...stand, mounting: e.currentTarget.value as Stand['mounting'] })}
          options={view?.mountings ?? []}
        />
        <span class="whitespace-nowrap"
          ><NumberCell
            class="field slim w-16"
            step="0.1"
            min="0"
            max="12"
            aria-label="Height of {id}, m"
            value={stand.height_m}
            onpick={(n) => call.tryStand(id, { ...stand, height_m: n })}
          /> m</span
        >
      </div>
      {#if radio && setting}
        <label class="flex items-center gap-1 text-soft"
          ><span class="grow">{band} power</span>
          <Picker
            class="field slim text-ink"
            aria-label="Power of {radio.id}"
            value={String(setting.eirp_dbm)}
            onchange={(e) => call.tryRadio({ ...setting, eirp_dbm: Number(e.currentTarget.value) })}
            options={radio.eirp_steps_dbm.map((step) => [String(step), dbm(step)] as const)}
          />
          {#if !setting.enabled}<span>off</span>{/if}</label
        >
      {/if}
      {#each stand.antennas ?? [] as rod, i (i)}
        <div class="flex items-center gap-1 text-soft">
          <span class="grow">antenna {i + 1}</span>
          <label class="flex items-center gap-1 whitespace-nowrap"
            >tilt °<NumberCell
              class="field slim w-14 text-ink"
              min="0"
              max="90"
              step="15"
              aria-label="Tilt of antenna {i + 1} of {id}"
              value={rod.tilt_deg ?? 0}
              onpick={(n) =>
                antennas(
                  id,
                  stand,
                  stand.antennas!.map((a, k) => (k === i ? { ...a, tilt_deg: n } : a)),
                )}
            /></label
          >
          <label class="flex items-center gap-1 whitespace-nowrap"
            >to °<NumberCell
              class="field slim w-14 text-ink"
              min="-360"
              max="360"
              step="15"
              aria-label="Heading of antenna {i + 1} of {id}"
              value={rod.azimuth_deg ?? 0}
              onpick={(n) =>
                antennas(
                  id,
                  stand,
                  stand.antennas!.map((a, k) => (k === i ? { ...a, azimuth_deg: n } : a)),
                )}
            /></label
          >
          <button
            class="button slim"
            aria-label="Remove antenna {i + 1} of {id}"
            onclick={() =>
              antennas(
                id,
                stand,
                stand.antennas!.filter((_, k) => k !== i),
              )}><X size={14} /></button
          >
        </div>
      {/each}
      <div class="flex flex-wrap items-center gap-1">
        <button
          class="button slim"
          aria-label="Add an antenna to {id}"
          onclick={() => antennas(id, stand, [...(stand.antennas ?? []), { tilt_deg: 0, azimuth_deg: 0 }])}
          ><Plus size={14} />{stand.antennas?.length ? 'antenna' : 'antenna (inner now)'}</button
        >
        <Picker
          class="field slim min-w-0 grow"
          aria-label="Cable of {id}"
          value={node?.outlet_id ?? ''}
          onchange={(e) =>
            setNode(
              id,
              { outlet_id: e.currentTarget.value || null },
              `${node?.name} is at the cable ${drop(e.currentTarget.value, 'of nobody')}`.slice(0, 80),
            )}
          options={outlets.map((o) => [o.id, `cable: ${o.name}`] as const)}
          empty="no cable drop"
        />
        <Tick
          checked={node?.kind === 'cellular gateway'}
          onpick={(on) =>
            setNode(
              id,
              { kind: on ? 'cellular gateway' : 'node' },
              on ? `${node?.name} gets its line through the air` : `${node?.name} is no gateway`,
            )}>cellular</Tick
        >
      </div>
    </div>
  {/each}
</section>
