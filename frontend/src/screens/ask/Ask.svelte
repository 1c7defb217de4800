<script lang="ts">
  import { ArrowRight } from '@lucide/svelte'
  import { plural } from '../../lib/format'
  import type { CallState } from '../../state/call.svelte'
  import { rules } from '../../state/rules.svelte'
  import Complaints from './Complaints.svelte'
  import SuspicionList from './SuspicionList.svelte'
  import Picker from '../../parts/Picker.svelte'

  let { state: call }: { state: CallState } = $props()
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
  const next = $derived(
    !call.job.nodes.length
      ? { step: 'kit', text: 'Write down the kit' }
      : !call.job.scans.length
        ? { step: 'listen', text: 'Scan in the house' }
        : !call.job.changes.length
          ? { step: 'tune', text: 'Tune the house' }
          : { step: 'prove', text: 'See whether it helped' },
  )
</script>

<div class="mb-4 grid grid-cols-[minmax(0,1fr)] gap-4">
  <Complaints state={call} />
  <SuspicionList state={call} />
</div>
<div class="grid gap-4 lg:grid-cols-[2fr_1fr]">
  <form class="page grid content-start gap-3" onsubmit={save}>
    <h2>The complaint</h2>
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
      >Clock of the house
      <Picker
        class="field w-64"
        value={timeZone}
        onchange={(e) => (draft.timeZone = e.currentTarget.value)}
        options={rules.timeZones}
        empty="not known"
      /></label
    >
    <div class="flex flex-wrap gap-2">
      <button class="button" disabled={!changed}>Save</button>
      <a class="button main" href="#/call/{call.id}/{next.step}">{next.text}<ArrowRight size={18} /></a>
    </div>
  </form>
  <aside class="page">
    <h2 class="mb-2">First the line, then the Wi-Fi</h2>
    <p class="mb-3">
      Test the speed by cable at the gateway. If the cable is slow too, it is the provider's line: stop tuning
      and call them.
    </p>
    <h3>This call</h3>
    <ul class="mb-3 list-disc pl-5">
      <li>{plural(call.job.nodes.length, 'node')}, {plural(call.now?.radios.length ?? 0, 'radio')}</li>
      <li>
        {plural(call.job.devices.length, 'device')} on Wi-Fi, {call.job.zigbee?.devices.length ?? 0} on Zigbee
      </li>
      <li>{plural(call.job.scans.length, 'listening')}, {plural(call.job.changes.length, 'change')}</li>
      <li>law of {call.job.country}</li>
    </ul>
    <h3>Before anything is switched</h3>
    <p>
      Ask whether alarms, locks or medical aids hang on this network, and leave them alone until their owner
      agrees. Ladders, drilling and mains: only within your trade and the local code; mains wiring is a
      licensed electrician's.
    </p>
  </aside>
</div>
