<script lang="ts">
  import { Plus, X } from '@lucide/svelte'
  import NumberField from '../../parts/NumberField.svelte'
  import PlacePick from '../../parts/PlacePick.svelte'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'
  import MeshDevices from './MeshDevices.svelte'
  import NumberCell from '../../parts/NumberCell.svelte'

  let { state: call }: { state: CallState } = $props()
  let placeId = $state('')
  let channel = $state<number | undefined>()
  const thread = $derived(call.job.thread)
  const placeOf = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id

  function start(event: SubmitEvent) {
    event.preventDefault()
    if (channel === undefined) return
    return call.set({ thread: { border_place_id: placeId, channel } }, 'added the Thread mesh')
  }
</script>

<section class="page">
  <h2 class="mb-2">Thread</h2>
  {#if thread}
    <p class="mb-2 flex flex-wrap items-center gap-3">
      <span>Border router at {placeOf(thread.border_place_id)} on channel</span>
      <NumberCell
        class="field slim w-20"
        min={rules.zigbeeLow}
        max={rules.zigbeeHigh}
        aria-label="Channel of the Thread mesh"
        value={thread.channel}
        onpick={(n) => call.set({ thread: { channel: n } }, 'the channel of the Thread mesh')}
      />
      <span class="text-sm text-soft"
        >It picks its channel itself, so the plan keeps it and works round it.</span
      >
      <button class="button slim" onclick={() => call.set({ thread: null }, 'removed the Thread mesh')}
        ><X size={14} />Remove the mesh</button
      >
    </p>
    <MeshDevices
      {call}
      mesh="thread"
      head="border"
      headName="the border router"
      placeLabel="Used at"
      devices={thread.devices}
      links={thread.links}
    />
  {:else}
    <form class="flex flex-wrap items-end gap-2" onsubmit={start}>
      <PlacePick {call} label="Border router at" bind:value={placeId} />
      <NumberField
        label="Its channel"
        min={rules.zigbeeLow}
        max={rules.zigbeeHigh}
        required
        bind:value={channel}
      />
      <button class="button"><Plus size={16} />Add the Thread mesh</button>
    </form>
  {/if}
</section>
