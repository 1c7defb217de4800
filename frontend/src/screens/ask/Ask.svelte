<script lang="ts">
  import type { CallState } from '../../state/call.svelte'
  import { rules } from '../../state/rules.svelte'
  import Answers from './Answers.svelte'
  import Complaints from './Complaints.svelte'
  import Notes from './Notes.svelte'
  import LikelyCauses from './LikelyCauses.svelte'
  import Picker from '../../parts/Picker.svelte'
  import Views from '../../parts/Views.svelte'

  let { state: call }: { state: CallState } = $props()
  const VIEWS = [
    ['v', 'Visit'],
    ['q', 'Questions'],
  ] as const
  /** What is being typed over what the call says; a call that changes meanwhile takes none of it away. */
  let draft = $state<{ title?: string; complaint?: string; timeZone?: string }>({})
  const title = $derived(draft.title ?? call.job.title)
  const complaint = $derived(draft.complaint ?? call.job.complaint)
  const timeZone = $derived(draft.timeZone ?? call.job.time_zone ?? '')
  const changed = $derived(
    title !== call.job.title || complaint !== call.job.complaint || timeZone !== (call.job.time_zone ?? ''),
  )

  async function save(event: SubmitEvent) {
    event.preventDefault()
    if (await call.set({ title, complaint, time_zone: timeZone || null }, 'changed the complaint')) draft = {}
  }
</script>

<Views views={VIEWS} label="The visit and the customer’s questions">
  {#snippet children(view)}
    {#if view === 'Questions'}<Answers state={call} />
    {:else}
      <div class="grid grid-cols-[minmax(0,1fr)] gap-4">
        <Notes state={call} />
        <Complaints state={call} />
        <LikelyCauses state={call} />
        <details class="page">
          <summary class="cursor-pointer font-semibold">Title, clock and the household’s own words</summary>
          <form class="mt-3 grid content-start gap-3" onsubmit={save}>
            <label class="grid gap-1"
              >Title<input
                class="field"
                value={title}
                oninput={(e) => (draft.title = e.currentTarget.value)}
                required
                maxlength="80"
              /></label
            >
            <label class="grid gap-1"
              >In the household's own words: what, where, which device, since when
              <textarea
                class="field"
                rows="4"
                value={complaint}
                oninput={(e) => (draft.complaint = e.currentTarget.value)}
                maxlength="2000"></textarea></label
            >
            <label class="grid gap-1"
              >Time zone of the house
              <Picker
                class="field w-64"
                value={timeZone}
                onchange={(e) => (draft.timeZone = e.currentTarget.value)}
                options={rules.timeZones}
                empty="not known"
              /></label
            >
            <p class="text-sm text-soft">Channels and powers follow the law of {call.job.country}.</p>
            <div><button class="button" disabled={!changed}>Save</button></div>
          </form>
        </details>
      </div>
    {/if}
  {/snippet}
</Views>
