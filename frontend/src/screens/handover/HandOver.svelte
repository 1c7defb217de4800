<script lang="ts">
  import { FileDown, FileText, Printer } from '@lucide/svelte'
  import { api, ask } from '../../lib/api'
  import { plural, prose, reader } from '../../lib/format'
  import { onKeys } from '../../lib/keys'
  import type { Report } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import Views from '../../parts/Views.svelte'
  import History from './History.svelte'
  import ReportPart from './ReportPart.svelte'

  let { state: call }: { state: CallState } = $props()
  const answer = new Resource<Report>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/report', { params: { path: { call_id: call.id } }, signal }))
  })
  const report = $derived(answer.value)
  let annex = $state(false)
  const VIEWS = [
    ['r', 'Report'],
    ['f', 'Files'],
    ['h', 'History'],
  ] as const
  const keys = onKeys({ p: () => print(), a: () => (annex = !annex) })
  const base = $derived(`/api/calls/${call.id}`)
</script>

<svelte:window onkeydown={keys} />
<div class="no-print mb-4 flex flex-wrap items-center gap-2">
  <a class="button main" href="{base}/report.pdf?language={encodeURIComponent(reader.language)}" download
    ><FileText size={18} />Report as PDF</a
  >
  <button class="button" onclick={() => print()}><Printer size={18} />Print <kbd>P</kbd></button>
  <button class="button" aria-pressed={annex} onclick={() => (annex = !annex)}
    >{annex ? "Hide the technician's annex" : "Show the technician's annex"} <kbd>A</kbd></button
  >
</div>
<Views views={VIEWS} label="To hand over">
  {#snippet children(view)}
    <!-- Whatever is looked at, the report is what is printed, and that must not wait for a script. -->
    <div class={view === 'Report' ? '' : 'hidden print:block'}>{@render paper()}</div>
    {#if view === 'Files'}{@render files()}{:else if view === 'History'}<History {call} />{/if}
  {/snippet}
</Views>

{#snippet paper()}
  {#if report}
    <article class="page mb-4" aria-label="Report">
      {#if report.mark}<p class="mb-2 inline-block border-2 border-(--accent) px-2 font-semibold text-accent">
          {report.mark}
        </p>{/if}
      <h2 class="text-2xl!">{report.title}</h2>
      <p class="mb-3 text-xl font-bold text-accent">{prose(report.headline)}</p>
      {#each report.household as section (section.title)}<ReportPart {section} />{/each}
      {#if annex}
        <h2 class="mt-6 mb-2 border-t-2 border-(--ink) pt-3">Technician's annex</h2>
        {#each report.annex as section (section.title)}<ReportPart {section} />{/each}
      {/if}
    </article>
  {:else}<p class="page mb-4 text-soft">Writing the report…</p>{/if}
{/snippet}

{#snippet files()}
  <section class="page no-print mb-4" aria-label="Files">
    <h2>Files</h2>
    <div class="mt-2 grid gap-x-8 gap-y-3 md:grid-cols-2">
      <div>
        <h3>To hand out</h3>
        <p class="mb-1 text-sm text-soft">
          {plural(report?.letters ?? 0, "neighbour's network", "neighbours' networks")} by letters, no addresses.
          The note for a neighbour is under
          <a class="underline" href="#/call/{call.id}/tune">Tune, Neighbours</a>.
        </p>
        <div class="flex flex-wrap gap-2">
          <a class="button slim" href="{base}/hand-over.json" download><FileDown size={15} />Call</a>
          <a class="button slim" href="{base}/hand-over.csv" download><FileDown size={15} />Readings, CSV</a>
          {#if call.job.building}<a class="button slim" href="{base}/house.geojson" download
              ><FileDown size={15} />House, GeoJSON</a
            >{/if}
          {#if call.job.follow_ups.length}<a class="button slim" href="{base}/follow-ups.ics" download
              ><FileDown size={15} />Dates, iCalendar</a
            >{/if}
        </div>
      </div>
      <div>
        <h3>To keep yourself</h3>
        <p class="mb-1 text-sm text-soft">With everything as it was heard, neighbours' names included.</p>
        <div class="flex flex-wrap gap-2">
          <a class="button slim" href="{base}/export" download><FileDown size={15} />Job file</a>
          <a class="button slim" href="{base}/readings.csv" download><FileDown size={15} />Readings, CSV</a>
        </div>
      </div>
    </div>
  </section>
{/snippet}
