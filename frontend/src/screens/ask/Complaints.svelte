<script lang="ts">
  import { Plus, X } from '@lucide/svelte'
  import type { Complaint } from '../../lib/types'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'

  let { state: call }: { state: CallState } = $props()
  let byHand = $state(false)
  let picked = $state<Complaint['what'] | ''>('')
  const what = $derived(picked || rules.offered.complaints[0]!)
  let placeId = $state('')
  let deviceId = $state('')
  let at = $state<Complaint['when']>('at random')
  let since = $state('')
  let tried = $state('')
  let perWeek = $state<number | undefined>()
  const devices = $derived([
    ...call.job.devices,
    ...(call.job.zigbee?.devices ?? []),
    ...(call.job.thread?.devices ?? []),
  ])
  const nameOf = (list: { id: string; name: string }[], id: string | null) =>
    list.find((x) => x.id === id)?.name

  async function add(event: SubmitEvent) {
    event.preventDefault()
    const made = {
      what,
      place_id: placeId || null,
      device_id: deviceId || null,
      when: at,
      since,
      tried,
      per_week: perWeek ?? null,
    }
    if (await call.add('complaints', made, `wrote down: ${what}`)) {
      since = ''
      tried = ''
    }
  }
  const remove = (c: Complaint) => call.remove('complaints', c.id, `removed: ${c.what}`)
</script>

<section class="page" aria-label="Complaints">
  <div class="flex flex-wrap items-baseline gap-x-4">
    <h2 class="grow">Complaints</h2>
    <button class="button slim" aria-expanded={byHand} onclick={() => (byHand = !byHand)}
      ><Plus size={14} />Add by choosing</button
    >
  </div>
  {#if !call.job.complaints.length && !byHand}<p class="text-sm text-soft">
      None yet. Write it in the notes as it was said: what stalls, where, on which device, when.
    </p>{/if}
  <ul class="grid gap-1">
    {#each call.job.complaints as c (c.id)}
      <li class="flex items-center gap-2 border-b border-(--rule) py-1">
        <span class="grow"
          ><strong>{c.what}</strong>
          <span class="text-sm text-soft"
            >{[
              nameOf(call.job.places, c.place_id) ?? 'everywhere',
              nameOf(devices, c.device_id),
              c.when,
              c.per_week && `${c.per_week} times a week`,
              c.since && `since ${c.since}`,
              c.tried && `tried: ${c.tried}`,
            ]
              .filter(Boolean)
              .join('; ')}</span
          ></span
        >
        <button class="button slim" aria-label="Remove: {c.what}" onclick={() => remove(c)}
          ><X size={14} /></button
        >
      </li>
    {/each}
  </ul>
  {#if byHand}<form class="mt-3 flex flex-wrap items-end gap-2" onsubmit={add}>
      <Field label="What"
        ><Picker
          class="field text-base text-ink"
          value={what}
          onchange={(e) => (picked = e.currentTarget.value as Complaint['what'])}
          options={rules.offered.complaints}
        /></Field
      >
      <Field label="Where"
        ><Picker
          class="field text-base text-ink"
          bind:value={placeId}
          options={call.job.places.map((p) => [p.id, p.name] as const)}
          empty="everywhere"
        /></Field
      >
      <Field label="Which device"
        ><Picker
          class="field text-base text-ink"
          bind:value={deviceId}
          options={devices.map((d) => [d.id, d.name] as const)}
          empty="several"
        /></Field
      >
      <Field label="When"
        ><Picker
          class="field text-base text-ink"
          bind:value={at}
          options={rules.offered.complaint_times}
        /></Field
      >
      <Field label="Times a week"
        ><input
          class="field w-24 text-base text-ink"
          type="number"
          min="0"
          max="1000"
          step="0.5"
          placeholder="?"
          bind:value={perWeek}
        /></Field
      >
      <Field label="Since when"
        ><input class="field w-36 text-base text-ink" maxlength="2000" bind:value={since} /></Field
      >
      <Field label="Tried already"
        ><input class="field w-44 text-base text-ink" maxlength="2000" bind:value={tried} /></Field
      >
      <button class="button"><Plus size={16} />Add complaint</button>
    </form>{/if}
</section>
