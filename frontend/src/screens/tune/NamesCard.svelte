<script lang="ts">
  import { api, ask } from '../../lib/api'
  import { dbm, headroom, prose } from '../../lib/format'
  import { namesText } from '../../lib/settings'
  import type { NamesView } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { notices } from '../../state/notices.svelte'
  import EveningDrawing from '../../draw/EveningDrawing.svelte'

  let { state: call }: { state: CallState } = $props()
  let view = $state<NamesView | null>(null)
  let shown = $state<'' | 'evening' | 'joining' | 'levels'>('')
  const changed = $derived(
    JSON.stringify(call.settings.names ?? {}) !== JSON.stringify(call.job.settings.names ?? {}),
  )
  const nameOf = (id: string) => call.job.devices.find((d) => d.id === id)?.name ?? id
  const bandOf = (id: string) => call.job.nodes.flatMap((n) => n.radios).find((r) => r.id === id)?.band
  const placeOf = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id
  const bad = $derived((view?.timelines ?? []).filter((t) => t.remedy))

  $effect(() => {
    const controller = new AbortController()
    ask(
      api.POST('/api/calls/{call_id}/names', {
        params: { path: { call_id: call.id } },
        body: { settings: call.settings, stands: [] },
        signal: controller.signal,
      }),
    )
      .then((found) => (view = found))
      .catch((error) => error.name !== 'AbortError' && notices.fail(error))
    return () => controller.abort()
  })
</script>

<article
  class="page"
  aria-label="Names and steering"
  class:border-l-8={changed}
  class:border-l-(--accent)={changed}
>
  <div class="mb-2 flex flex-wrap items-baseline gap-x-4">
    <h3 class="grow">Names and steering</h3>
    <p>{namesText(call.settings.names)}</p>
    {#if changed}<p class="text-sm text-soft">now: {namesText(call.job.settings.names)}</p>{/if}
  </div>
  {#if view}
    <p class="mb-2">
      <strong>If steering is used:</strong>
      {prose(view.advice.text)}. <span class="text-soft">{view.old_rates}.</span>
    </p>
    <div class="overflow-x-auto">
      <table class="ledger text-sm" aria-label="Schools of naming">
        <thead
          ><tr><th>School</th><th class="number">Troubles</th><th class="number">Headroom</th><th></th></tr
          ></thead
        >
        <tbody>
          {#each view.schools as school (school.school)}
            <tr class:font-bold={school.recommended}
              ><td
                >{school.school}{school.recommended ? ', best here' : ''}
                <span class="block text-xs font-normal text-soft">{prose(school.reason)}</span></td
              ><td class="number">{school.evaluation.troubles}</td><td class="number"
                >{headroom(school.evaluation.headroom)}</td
              ><td class="number"
                ><button
                  class="button slim"
                  onclick={() => call.try({ ...call.settings, names: school.names })}>Try</button
                ></td
              ></tr
            >
          {/each}
        </tbody>
      </table>
    </div>
    {#if bad.length}
      <ul class="my-2 text-sm">
        {#each bad as t (t.device_id)}
          <li>
            <strong>{nameOf(t.device_id)}</strong>
            {t.flaps
              ? `flaps: ${t.changes} changes in an evening`
              : t.clings
                ? 'clings to a far node'
                : `is away ${t.away_minutes} min`};
            <span class="text-accent">{t.remedy}</span>
          </li>
        {/each}
      </ul>
    {/if}
    <div class="mt-2 flex flex-wrap gap-2">
      {#each [['evening', 'An evening of each device'], ['joining', 'Which device joins what'], ['levels', 'From which level the higher band pays']] as [key, label] (key)}
        <button
          class="button slim"
          aria-expanded={shown === key}
          onclick={() => (shown = shown === key ? '' : (key as typeof shown))}>{label}</button
        >
      {/each}
    </div>
    {#if shown === 'evening'}
      <EveningDrawing timelines={view.timelines} minutes={view.minutes} {nameOf} {bandOf} />
    {:else if shown === 'joining'}
      <table class="ledger mt-2 text-sm" aria-label="Which device joins what">
        <thead><tr><th>Device</th><th>Joins</th><th>Holds</th><th class="number">Level</th></tr></thead>
        <tbody>
          {#each view.joining as j (j.device_id)}
            <tr
              ><td>{nameOf(j.device_id)}</td><td>{j.name}</td><td>{j.radio_id ?? 'nothing'}</td><td
                class="number">{j.level_dbm === null ? '–' : dbm(j.level_dbm)}</td
              ></tr
            >
          {/each}
        </tbody>
      </table>
    {:else if shown === 'levels'}
      <table class="ledger mt-2 text-sm" aria-label="Crossover of each device">
        <thead
          ><tr
            ><th>Device</th><th>At</th><th>Band</th><th class="number">Pays from</th><th class="number"
              >Has there</th
            ></tr
          ></thead
        >
        <tbody>
          {#each view.advice.crossovers as c (c.device_id)}
            <tr
              ><td>{nameOf(c.device_id)}</td><td>{placeOf(c.place_id)}</td><td>{c.high_band}</td><td
                class="number">{c.crossover_dbm === null ? 'never' : dbm(c.crossover_dbm)}</td
              ><td class="number figure" class:text-accent={!c.better_high}>{dbm(c.level_dbm)}</td></tr
            >
          {/each}
        </tbody>
      </table>
    {/if}
  {:else}<p class="text-soft">Comparing the schools…</p>{/if}
</article>
