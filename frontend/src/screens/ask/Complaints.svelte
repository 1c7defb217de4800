<script lang="ts">
  import { Plus, X } from '@lucide/svelte'
  import { identifier } from '../../lib/kit'
  import type { Complaint } from '../../lib/types'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'

  let { state: call }: { state: CallState } = $props()
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
    const id = identifier(
      what,
      call.job.complaints.map((c) => c.id),
    )
    const made = {
      id,
      what,
      place_id: placeId || null,
      device_id: deviceId || null,
      when: at,
      since,
      tried,
      per_week: perWeek ?? null,
    }
    if (await call.edit({ ...call.job, complaints: [...call.job.complaints, made] }, `wrote down: ${what}`)) {
      since = ''
      tried = ''
    }
  }
  const remove = (c: Complaint) =>
    call.edit(
      { ...call.job, complaints: call.job.complaints.filter((x) => x.id !== c.id) },
      `removed: ${c.what}`,
    )
</script>

<section class="page" aria-label="What is complained of">
  <h2 class="mb-2">What is complained of</h2>
  <ul class="mb-3 grid gap-1">
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
              c.since && `since: ${c.since}`,
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
  <form class="flex flex-wrap items-end gap-2" onsubmit={add}>
    <label class="grid text-sm text-soft"
      >What
      <select
        class="field text-base text-ink"
        value={what}
        onchange={(e) => (picked = e.currentTarget.value as Complaint['what'])}
        >{#each rules.offered.complaints as w (w)}<option>{w}</option>{/each}</select
      ></label
    >
    <label class="grid text-sm text-soft"
      >Where
      <select class="field text-base text-ink" bind:value={placeId}
        ><option value="">everywhere</option>{#each call.job.places as p (p.id)}<option value={p.id}
            >{p.name}</option
          >{/each}</select
      ></label
    >
    <label class="grid text-sm text-soft"
      >Which device
      <select class="field text-base text-ink" bind:value={deviceId}
        ><option value="">several</option>{#each devices as d (d.id)}<option value={d.id}>{d.name}</option
          >{/each}</select
      ></label
    >
    <label class="grid text-sm text-soft"
      >When
      <select class="field text-base text-ink" bind:value={at}
        >{#each rules.offered.complaint_times as w (w)}<option>{w}</option>{/each}</select
      ></label
    >
    <label class="grid text-sm text-soft"
      >Times a week<input
        class="field w-24 text-base text-ink"
        type="number"
        min="0"
        max="1000"
        step="0.5"
        placeholder="?"
        bind:value={perWeek}
      /></label
    >
    <label class="grid text-sm text-soft"
      >Since when<input class="field w-36 text-base text-ink" maxlength="2000" bind:value={since} /></label
    >
    <label class="grid text-sm text-soft"
      >Tried already<input class="field w-44 text-base text-ink" maxlength="2000" bind:value={tried} /></label
    >
    <button class="button"><Plus size={16} />Add</button>
  </form>
</section>
