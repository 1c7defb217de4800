<script lang="ts">
  import { api, ask } from '../../lib/api'
  import { dbm, db, percent, plural, prose, signed } from '../../lib/format'
  import type { Decision, DecisionsView } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  let { call }: { call: CallState } = $props()
  let open = $state<string | null>(null)

  const answer = new Resource<DecisionsView>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/decisions', { params: { path: { call_id: call.id } }, signal }))
  })
  const found = $derived(answer.value)
  const WORDS = { recommended: 'Do', optional: 'Consider', leave: 'Leave' } as const
  const groups = $derived(
    (Object.keys(WORDS) as (keyof typeof WORDS)[]).map((advice) => ({
      advice,
      list: (found?.decisions ?? []).filter((d) => d.advice === advice && !d.power),
    })),
  )
  /** Power is one matter of the whole house: Tune sets it together with channels, and this says what each cell needs. */
  const power = $derived((found?.decisions ?? []).filter((d) => d.power))
  const other = $derived(power.filter((d) => d.advice !== 'leave'))
  const placeName = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id
  const key = (d: Decision) => `${d.kind}/${d.title}`
  async function tryIt(d: Decision) {
    await call.tryAll(d.settings ?? null, Object.fromEntries(d.stands.map((s) => [s.node_id, s.stand])))
  }
</script>

{#snippet row(d: Decision, advice: Decision['advice'])}
  <li class="border-t border-(--rule) py-1">
    <div class="flex items-start gap-2">
      <button
        class="grow text-left"
        aria-expanded={open === key(d)}
        onclick={() => (open = open === key(d) ? null : key(d))}
        ><span class={advice === 'leave' ? '' : 'font-semibold'}>{prose(d.title)}</span>
        <span class="text-sm text-soft">{d.kind}</span></button
      >
      {#if d.stands.length || d.settings}
        <button class="button slim" onclick={() => tryIt(d)}>Try</button>
      {/if}
    </div>
    {#if open === key(d) || (advice === 'recommended' && !d.power)}
      <ul class="list-disc pl-5 text-sm text-soft">
        {#each d.reasons as reason, i (i)}<li>{prose(reason)}</li>{/each}
      </ul>
      {#each d.cautions as caution, i (i)}<p class="text-sm font-semibold">{caution}</p>{/each}
    {/if}
    {#if open === key(d) && d.power}
      <Ledger
        label="Steps of {d.power.radio_id}"
        class="mt-1 text-sm"
        heads={[
          'Step',
          ['Worst spot', 'figure'],
          ['Rooms', 'figure'],
          ['Change-over', 'figure'],
          ['Outside', 'figure'],
        ]}
      >
        {#each d.power.steps as s (s.eirp_dbm)}
          <tr class={s.eirp_dbm === d.power.advised_dbm ? 'font-semibold' : ''}
            ><td>{dbm(s.eirp_dbm)}{s.eirp_dbm === d.power.now_dbm ? ', now' : ''}</td><td class="number"
              >{s.worst_margin_db === null ? '–' : `${signed(s.worst_margin_db, 0)} dB`}</td
            ><td class="number">{percent(s.covered_fraction)}</td><td class="number"
              >{s.border_dbm === null ? '–' : dbm(s.border_dbm)}</td
            ><td class="number">{percent(s.ground_outside_fraction)}</td></tr
          >
        {/each}
      </Ledger>
    {/if}
  </li>
{/snippet}

<section class="page" aria-label="What to do about it">
  <h2 class="mb-2">What to do about it</h2>
  {#if !found}<p class="text-soft">Trying every change…</p>{/if}
  {#each groups as { advice, list } (advice)}
    {#if list.length}
      <h3 class="mt-2 mb-1 {advice === 'recommended' ? 'text-accent' : 'text-soft'}">{WORDS[advice]}</h3>
      <ul class="grid gap-1">
        {#each list as d (key(d))}
          {@render row(d, advice)}
        {/each}
      </ul>
    {/if}
  {/each}
  {#if power.length}
    <details class="mt-3 border-t border-(--rule) pt-2">
      <summary class="cursor-pointer font-semibold"
        >Power, radio by radio: {other.length
          ? `another step for ${plural(other.length, 'radio')}`
          : 'each cell needs what it has'}
        <span class="text-sm font-normal text-soft">Tune sets it together with the channels</span></summary
      >
      <ul class="mt-1 grid gap-1">
        {#each power as d (key(d))}{@render row(d, d.advice)}{/each}
      </ul>
    </details>
  {/if}
  {#if found?.moved.length}
    <h3 class="mt-3 mb-1">Measured since a move</h3>
    <Ledger
      label="Measured since a move"
      heads={['Spot', 'Radio', ['Before', 'figure'], ['After', 'figure']]}
    >
      {#each found.moved as m (m.radio_id + m.place_id)}
        <tr
          ><td>{placeName(m.place_id)}</td><td>{m.radio_id}</td><td class="number">{dbm(m.before_dbm)}</td><td
            class="number figure"
            >{dbm(m.after_dbm)}
            <span class="text-soft">{signed(m.difference_db, 0)} ±{db(m.spread_db, 0)}</span></td
          ></tr
        >
      {/each}
    </Ledger>
  {/if}
</section>
