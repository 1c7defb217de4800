<script lang="ts">
  import { CalendarPlus, Check, Plus, X } from '@lucide/svelte'
  import DifferenceMark from '../../draw/DifferenceMark.svelte'
  import { api, ask } from '../../lib/api'
  import { fromHouseClock, sentence, when } from '../../lib/format'
  import { identifier } from '../../lib/kit'
  import type { AfterCare, FollowUp } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'

  let { call }: { call: CallState } = $props()
  const answer = new Resource<AfterCare>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/after-care', { params: { path: { call_id: call.id } }, signal }))
  })
  const view = $derived(answer.value)
  const followUps = $derived([...call.job.follow_ups].sort((a, b) => a.at.localeCompare(b.at)))
  const devices = $derived([
    ...call.job.devices,
    ...(call.job.zigbee?.devices ?? []),
    ...(call.job.thread?.devices ?? []),
  ])
  const nameOf = (id: string | null) => devices.find((d) => d.id === id)?.name ?? 'somewhere'
  let at = $state('')
  let deviceId = $state('')
  let note = $state('')
  let date = $state('')
  const now = () => new Date().toISOString().replace(/\.\d+Z$/, 'Z')
  const stamp = (local: string) => fromHouseClock(local)
  const day = (iso: string) => when(iso).split(',')[0]

  function propose() {
    const taken = call.job.follow_ups.map((f) => f.id)
    const made = (view?.proposed ?? []).map((at, i) => ({
      id: identifier(`ask ${i + 1}`, taken),
      at,
      note: '',
      asked_at: null,
    }))
    return call.set({ follow_ups: [...call.job.follow_ups, ...made] }, 'dates to ask again')
  }
  function addDate(event: SubmitEvent) {
    event.preventDefault()
    return call.add('follow_ups', { at: stamp(date) }, 'a date to ask again')
  }
  const asked = (f: FollowUp) =>
    call.alter(
      'follow_ups',
      f.id,
      { asked_at: f.asked_at ? null : now() },
      f.asked_at ? 'not asked yet' : 'the household was asked',
    )
  async function addDrop(event: SubmitEvent) {
    event.preventDefault()
    const made = { at: stamp(at), device_id: deviceId || null, note }
    if (await call.add('drop_outs', made, 'a drop-out')) note = ''
  }
  const forget = (id: string) => call.remove('drop_outs', id, 'not a drop-out after all')
</script>

{#if view}
  <section class="page mb-4" aria-label="After care">
    <h2>{sentence(view.text)}.</h2>
    {#if view.compared}<div class="mt-1 max-w-xl">
        <span class="text-sm text-soft">Drop-outs a week</span><DifferenceMark
          d={view.compared}
          kind="rate"
        />
      </div>{/if}
    <div class="mt-3 grid gap-x-8 gap-y-3 lg:grid-cols-2">
      <div>
        <h3>Ask again</h3>
        <ul>
          {#each followUps as f (f.id)}
            <li class="flex flex-wrap items-center gap-2 border-b border-(--rule) py-1">
              <span aria-hidden="true">{f.asked_at ? '●' : '○'}</span>
              <span class="figure grow">{day(f.at)}</span>
              <span class="text-sm text-soft">{f.asked_at ? `asked ${day(f.asked_at)}` : f.note}</span>
              <button class="button slim no-print" onclick={() => asked(f)}
                ><Check size={14} />{f.asked_at ? 'Not asked' : 'Asked today'}</button
              >
              <button
                class="button slim no-print"
                aria-label="Forget the date {day(f.at)}"
                onclick={() => call.remove('follow_ups', f.id, 'removed a date')}><X size={14} /></button
              >
            </li>
          {/each}
        </ul>
        <form class="no-print mt-2 flex flex-wrap items-end gap-2" onsubmit={addDate}>
          {#if !followUps.length}<button type="button" class="button main" onclick={propose}
              ><CalendarPlus size={16} />{view.proposed.map(day).join(' and ')}</button
            >{/if}
          <Field label="On"
            ><input
              type="datetime-local"
              class="field text-base text-ink"
              bind:value={date}
              required
            /></Field
          >
          <button class="button"><Plus size={16} />Add the date</button>
          {#if followUps.some((f) => !f.asked_at)}<a
              class="button"
              href="/api/calls/{call.id}/follow-ups.ics"
              download><CalendarPlus size={16} />To the calendar</a
            >{/if}
        </form>
      </div>
      <div>
        <h3>Drop-outs reported</h3>
        <ul>
          {#each [...call.job.drop_outs].sort((a, b) => b.at.localeCompare(a.at)) as d (d.id)}
            <li class="flex items-center gap-2 border-b border-(--rule) py-1">
              <span class="figure">{when(d.at)}</span><span class="grow"
                >{nameOf(d.device_id)} <span class="text-soft">{d.note}</span></span
              >
              <button
                class="button slim no-print"
                aria-label="Not a drop-out: {when(d.at)}"
                onclick={() => forget(d.id)}><X size={14} /></button
              >
            </li>
          {:else}<li class="text-soft">None yet.</li>{/each}
        </ul>
        <form class="no-print mt-2 flex flex-wrap items-end gap-2" onsubmit={addDrop}>
          <Field label="Dropped out at"
            ><input type="datetime-local" class="field text-base text-ink" bind:value={at} required /></Field
          >
          <Field label="What dropped out"
            ><Picker
              class="field text-base text-ink"
              bind:value={deviceId}
              options={devices.map((d) => [d.id, d.name] as const)}
              empty="not known"
            /></Field
          >
          <Field label="Seen"
            ><input class="field text-base text-ink" bind:value={note} maxlength="2000" /></Field
          >
          <button class="button"><Plus size={16} />Log it</button>
        </form>
      </div>
    </div>
  </section>
{/if}
