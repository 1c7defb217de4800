<script lang="ts">
  import { sentence } from '../../lib/format'
  import Sign from '../../parts/Sign.svelte'
  import { Check, Plus, X } from '@lucide/svelte'
  import { api, ask } from '../../lib/api'
  import type { CableRun, Materials } from '../../lib/types'
  import Cautions from '../../parts/Cautions.svelte'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'
  import NumberCell from '../../parts/NumberCell.svelte'

  let { call }: { call: CallState } = $props()
  const answer = new Resource<Materials>((signal) => {
    void call.call.revision
    return ask(
      api.POST('/api/calls/{call_id}/materials', {
        params: { path: { call_id: call.id } },
        body: { stands: call.standList },
        signal,
      }),
    )
  })
  const view = $derived(answer.value)
  const fed = $derived(call.job.nodes.filter((n) => n.uplink))
  const sources = $derived([
    ...call.job.nodes.map((n) => ({ id: n.id, name: n.name })),
    ...(call.job.wiring?.line_equipment ?? []).map((b) => ({ id: b.id, name: b.name })),
  ])
  let to = $state('')
  let from = $state('')
  let picked = $state<CableRun['route'] | ''>('')
  const route = $derived(picked || rules.offered.cable_routes[0]!)
  const target = $derived(to || (fed.find((n) => n.uplink?.band) ?? fed[0])?.id || '')
  const source = $derived(from || call.job.nodes.find((n) => n.id === target)?.uplink?.to_node_id || '')
  const works = $derived(call.job.works)
  const alter = (id: string, change: Partial<CableRun>, summary: string) =>
    call.alter('works', id, change, summary)
  function add(event: SubmitEvent) {
    event.preventDefault()
    const name = call.job.nodes.find((n) => n.id === target)?.name
    const run = { to_node_id: target, from_id: source, route }
    return call.add('works', run, `planned a cable to ${name}`)
  }
</script>

<section class="page mt-4" aria-label="Cables and new places">
  <h2>Cables and new places</h2>
  {#if view}
    <p class="mb-2">{sentence(view.text)}.</p>
    {#if view.runs.length || view.materials.length}<Cautions cautions={view.cautions} />{/if}
    {#if view.runs.length}
      <ul class="grid gap-2">
        {#each view.runs as r, i (r.id)}
          {@const run = works[i]}
          <li class="border-t border-(--rule) pt-2" data-run={r.id}>
            <div class="flex flex-wrap items-center gap-x-3 gap-y-1">
              <strong class="grow"
                ><Sign mark={r.done ? '●' : '○'} says={r.done ? 'done:' : 'to do:'} /> {r.title}</strong
              >
              <span class="figure text-lg"
                >{r.each_m === null
                  ? 'measure the route'
                  : `${r.runs} × ${r.each_m} m = ${r.total_m} m`}</span
              >
            </div>
            <p class="text-sm text-soft">
              {r.reasons.join('; ')}{r.outdoors ? '; outdoor-rated' : ''}{r.holes.length
                ? `. Through ${r.holes.join(', ')}`
                : ''}{r.minutes ? `. About ${r.minutes} min (common practice)` : ''}.
            </p>
            {#if run}
              <div class="no-print mt-1 flex flex-wrap items-end gap-2 text-sm">
                <Field label="Goes"
                  ><Picker
                    class="field slim text-ink"
                    aria-label="How {r.title} goes"
                    value={run.route}
                    onchange={(e) =>
                      alter(
                        r.id,
                        { route: e.currentTarget.value as CableRun['route'] },
                        `moved the route of ${r.title}`,
                      )}
                    options={rules.offered.cable_routes}
                  /></Field
                >
                <Field label="Runs"
                  ><NumberCell
                    class="field slim w-16 text-ink"
                    aria-label="Runs of {r.title}"
                    min="1"
                    max="8"
                    value={run.runs}
                    onpick={(n) => alter(r.id, { runs: n }, `changed the runs of ${r.title}`)}
                  /></Field
                >
                <Field label="Way as measured, m"
                  ><NumberCell
                    class="field slim w-24 text-ink"
                    aria-label="Way of {r.title} as measured"
                    min="0.5"
                    max="500"
                    step="0.1"
                    value={run.length_m}
                    onpick={(n) => alter(r.id, { length_m: n }, `measured the route of ${r.title}`)}
                    onempty={() => alter(r.id, { length_m: null }, `measured the route of ${r.title}`)}
                  /></Field
                >
                <button
                  class="button slim"
                  onclick={() =>
                    alter(
                      r.id,
                      { done: !run.done },
                      run.done ? `${r.title} is not pulled yet` : `pulled ${r.title}`,
                    )}><Check size={15} />{run.done ? 'Not yet' : 'Pulled and tested'}</button
                >
                <button
                  class="button slim"
                  aria-label="Forget the cable {r.title}"
                  onclick={() => call.remove('works', r.id, `removed the cable ${r.title}`)}
                  ><X size={15} /></button
                >
              </div>
            {/if}
          </li>
        {/each}
      </ul>
    {/if}
    {#if view.materials.length}
      <div class="mt-3 grid gap-x-8 gap-y-2 border-t border-(--rule) pt-2 lg:grid-cols-2">
        <table class="ledger text-sm">
          <caption class="text-left font-semibold">To bring</caption>
          <tbody>
            {#each view.materials as m, i (i)}<tr
                ><td class="number whitespace-nowrap">{m.count}</td><td
                  >{m.what}{#if m.note}<span class="ml-2 text-soft">{m.note}</span>{/if}</td
                ></tr
              >{/each}
          </tbody>
        </table>
        <div>
          <h3>To do</h3>
          <ol class="list-decimal pl-5 text-sm">
            {#each view.work as w, i (i)}<li>{w}.</li>{/each}
          </ol>
        </div>
      </div>
    {/if}
  {/if}
  {#if fed.length}
    <form class="no-print mt-3 flex flex-wrap items-end gap-2 border-t border-(--rule) pt-3" onsubmit={add}>
      <Field label="A cable to"
        ><select
          class="field text-base text-ink"
          value={target}
          onchange={(e) => (to = e.currentTarget.value)}
        >
          {#each fed as n (n.id)}<option value={n.id}
              >{n.name}{n.uplink?.band ? `, uplink at ${n.uplink.band} now` : ''}</option
            >{/each}
        </select></Field
      >
      <Field label="Comes from"
        ><Picker
          class="field text-base text-ink"
          value={source}
          onchange={(e) => (from = e.currentTarget.value)}
          options={sources.filter((s) => s.id !== target).map((s) => [s.id, s.name] as const)}
        /></Field
      >
      <Field label="By the route"
        ><Picker
          class="field text-base text-ink"
          value={route}
          onchange={(e) => (picked = e.currentTarget.value as CableRun['route'])}
          options={rules.offered.cable_routes}
        /></Field
      >
      <button class="button"><Plus size={16} />Plan the cable</button>
    </form>
  {/if}
</section>
