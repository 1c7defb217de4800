<script lang="ts">
  import { api, ask } from '../../lib/api'
  import { dbm, headroom, percent, prose } from '../../lib/format'
  import { namesText } from '../../lib/settings'
  import type { SsidView } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import BandSheetDrawing from '../../draw/BandSheetDrawing.svelte'
  import EveningDrawing from '../../draw/EveningDrawing.svelte'
  import Ledger from '../../parts/Ledger.svelte'
  import Tick from '../../parts/Tick.svelte'

  let { state: call }: { state: CallState } = $props()
  const answer = new Resource<SsidView | null>((signal) => {
    if (!call.call.air_known) return Promise.resolve(null)
    return ask(
      api.POST('/api/calls/{call_id}/ssid-plans', {
        params: { path: { call_id: call.id } },
        body: { settings: call.settings, stands: [] },
        signal,
      }),
    )
  })
  const view = $derived(answer.value)
  let shown = $state<'' | 'evening' | 'joining' | 'levels' | 'rates' | 'small'>('')
  const changed = $derived(
    JSON.stringify(call.settings.ssid_plan ?? {}) !== JSON.stringify(call.job.settings.ssid_plan ?? {}),
  )
  const closable = $derived(call.job.nodes.flatMap((n) => n.radios).filter((r) => r.can_be_backhaul_only))
  const closed = $derived(call.settings.ssid_plan?.backhaul_only ?? [])
  function keepOff(id: string, on: boolean) {
    const backhaul_only = [...closed.filter((r) => r !== id), ...(on ? [id] : [])]
    call.try({ ...call.settings, ssid_plan: { ...call.settings.ssid_plan!, backhaul_only } })
  }
  const nameOf = (id: string) => call.job.devices.find((d) => d.id === id)?.name ?? id
  const bandOf = (id: string) => call.job.nodes.flatMap((n) => n.radios).find((r) => r.id === id)?.band
  const spotOf = (id: string) => call.job.building?.outlets.find((o) => o.id === id)?.name ?? placeOf(id)
  const placeOf = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id
  const bad = $derived((view?.timelines ?? []).filter((t) => t.remedy))
</script>

<article
  class="page"
  aria-label="SSIDs and steering"
  class:border-l-8={changed}
  class:border-l-(--accent)={changed}
>
  <div class="mb-2 flex flex-wrap items-baseline gap-x-4">
    <h3 class="grow">SSIDs and steering</h3>
    <p>{namesText(call.settings.ssid_plan)}</p>
    {#if changed}<p class="text-sm text-soft">now: {namesText(call.job.settings.ssid_plan)}</p>{/if}
  </div>
  {#if !call.call.air_known}
    <p>
      Which device joins what, and what each plan would bring, is worked out once the air has been scanned and
      own levels read.
    </p>
  {:else if view}
    <p class="mb-2">
      <strong>If steering is used:</strong>
      {prose(view.advice.text)}. <span class="text-soft">{view.old_rates}.</span>
    </p>
    <Ledger label="SSID plans" heads={['SSID plan', ['Problems', 'figure'], ['Headroom', 'figure'], '']}>
      {#each view.ssid_plans as school (school.kind)}
        <tr class:font-bold={school.recommended}
          ><td
            >{school.kind}{school.recommended ? ', best here' : ''}
            <span class="block text-xs font-normal text-soft">{prose(school.reason)}</span></td
          ><td class="number">{school.evaluation.problems}</td><td class="number"
            >{headroom(school.evaluation.headroom)}</td
          ><td class="number"
            ><button
              class="button slim"
              onclick={() => call.try({ ...call.settings, ssid_plan: school.ssid_plan })}>Try</button
            ></td
          ></tr
        >
      {/each}
    </Ledger>
    {#if closable.length}
      <fieldset class="my-2 flex flex-wrap items-center gap-x-4 gap-y-1">
        <legend class="text-sm text-soft">
          Radios for the link alone: no device may join them, the link between nodes goes on
        </legend>
        {#each closable as radio (radio.id)}
          <Tick
            checked={closed.includes(radio.id)}
            label="{radio.id} for the link alone"
            onpick={(on) => keepOff(radio.id, on)}>{radio.id}</Tick
          >
        {/each}
      </fieldset>
    {/if}
    {#if bad.length}
      <ul class="my-2 text-sm">
        {#each bad as t (t.device_id)}
          <li>
            <strong>{nameOf(t.device_id)}</strong>
            {t.flaps
              ? `flaps: ${t.changes} changes in an evening`
              : t.sticky
                ? 'is sticky: it holds a far node'
                : `is away ${t.away_minutes} min`};
            <span class="text-accent">{t.remedy}</span>
          </li>
        {/each}
      </ul>
    {/if}
    {#if view.gadgets.length}
      <ul class="my-2 text-sm" aria-label="The network for gadgets">
        {#each view.gadgets as g (g.device_id)}
          <li>
            <strong>{nameOf(g.device_id)}</strong> on the network for gadgets:
            <span class:text-accent={g.text !== 'carried'}>{prose(g.text)}</span>
          </li>
        {/each}
      </ul>
    {/if}
    <div class="mt-2 flex flex-wrap gap-2">
      {#each [['evening', 'An evening of each device'], ['joining', 'Which device joins what'], ['rates', 'Minimum data rates'], ['small', 'A small access point'], ['levels', 'From which level the higher band pays']] as [key, label] (key)}
        <button
          class="button slim"
          aria-expanded={shown === key}
          onclick={() => (shown = shown === key ? '' : (key as typeof shown))}>{label}</button
        >
      {/each}
    </div>
    {#if shown === 'evening'}
      <EveningDrawing timelines={view.timelines} minutes={view.minutes} {nameOf} {bandOf} />
    {:else if shown === 'rates'}
      <Ledger
        label="Minimum data rates"
        class="mt-2 text-sm"
        heads={['Radio', ['Minimum data rate', 'figure'], ['Beacons take', 'figure'], 'Loses']}
      >
        {#each view.minimum_rates as r (r.radio_id + r.rate_mbps)}
          <tr class:font-bold={r.advised}
            ><td>{r.radio_id}{r.advised ? ', advised' : ''}</td><td class="number">{r.rate_mbps} Mb/s</td><td
              class="number">{percent(r.beacons_fraction, 2)}</td
            ><td class:text-accent={r.loses.length > 0}>{r.loses.map(nameOf).join(', ') || 'nobody'}</td></tr
          >
        {/each}
      </Ledger>
    {:else if shown === 'small'}
      {#if view.small_points.length}
        <Ledger
          label="A small access point on a cable"
          class="mt-2 text-sm"
          heads={[
            'At, on a cable',
            ['Channel', 'figure'],
            ['Problems', 'figure'],
            ['Headroom', 'figure'],
            'For',
          ]}
        >
          {#each view.small_points as p (p.place_id)}
            <tr
              ><td>{spotOf(p.place_id)}</td><td class="number">{p.channel}</td><td class="number"
                >{p.problems}</td
              ><td class="number">{headroom(p.headroom)}</td><td
                >{p.device_ids.map(nameOf).join(', ')}{p.better ? '' : '; no better than now'}</td
              ></tr
            >
          {/each}
        </Ledger>
        <p class="text-sm text-soft">2.4 GHz only, 20 MHz, low power, an SSID of its own; all else as set.</p>
      {:else}<p class="mt-2 text-sm text-soft">
          No device drops here that a small access point would help, or the house has not been drawn.
        </p>{/if}
    {:else if shown === 'joining'}
      <BandSheetDrawing joining={view.joining} {nameOf} />
      <Ledger
        label="Which device joins what"
        class="mt-2 text-sm"
        heads={['Device', 'Joins', 'Holds', ['Level', 'figure']]}
      >
        {#each view.joining as j (j.device_id)}
          <tr
            ><td>{nameOf(j.device_id)}</td><td>{j.name}</td><td>{j.radio_id ?? 'nothing'}</td><td
              class="number">{j.level_dbm === null ? '–' : dbm(j.level_dbm)}</td
            ></tr
          >
        {/each}
      </Ledger>
    {:else if shown === 'levels'}
      <Ledger
        label="Crossover of each device"
        class="mt-2 text-sm"
        heads={['Device', 'At', 'Band', ['Pays from', 'figure'], ['Has there', 'figure']]}
      >
        {#each view.advice.crossovers as c (c.device_id)}
          <tr
            ><td>{nameOf(c.device_id)}</td><td>{placeOf(c.place_id)}</td><td>{c.high_band}</td><td
              class="number">{c.crossover_dbm === null ? 'never' : dbm(c.crossover_dbm)}</td
            ><td class="number figure" class:text-accent={!c.better_high}>{dbm(c.level_dbm)}</td></tr
          >
        {/each}
      </Ledger>
    {/if}
  {:else}<p class="text-soft">Comparing the SSID plans…</p>{/if}
</article>
