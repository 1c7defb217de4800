<script lang="ts">
  import { FileUp, Plus, Router, X } from '@lucide/svelte'
  import { api, ask, sendFile } from '../../lib/api'
  import NumberField from '../../parts/NumberField.svelte'
  import PlacePick from '../../parts/PlacePick.svelte'
  import type { Call, InstrumentView } from '../../lib/types'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import { notices } from '../../state/notices.svelte'
  import MeshDevices from './MeshDevices.svelte'
  import FileDrop from '../../parts/FileDrop.svelte'
  import Field from '../../parts/Field.svelte'

  let { state: call }: { state: CallState } = $props()
  let hubPlace = $state('')
  let channel = $state<number | undefined>()
  let fixed = $state(false)
  const zigbee = $derived(call.job.zigbee)
  const path = $derived({ params: { path: { call_id: call.id } } })

  async function readTable(file: File | undefined) {
    if (!file) return
    try {
      call.take(await sendFile<Call>(`/api/calls/${call.id}/zigbee-links`, file, () => {}))
      notices.say(`Read ${file.name}.`)
    } catch (error) {
      notices.fail(error)
    }
  }

  function addHub(event: SubmitEvent) {
    event.preventDefault()
    if (channel === undefined) return
    const body = { hub_place_id: hubPlace, channel, fixed, revision: call.call.revision }
    return call.change(
      () => api.POST('/api/calls/{call_id}/zigbee', { ...path, body }),
      'added the Zigbee hub',
    )
  }
  const TURNS: [string, number | ''][] = [
    ['all round', ''],
    ['to the right of the plan', 0],
    ['right and back', 45],
    ['to the back', 90],
    ['left and back', 135],
    ['to the left', 180],
    ['left and front', 225],
    ['to the front', 270],
    ['right and front', 315],
  ]
  const askHub = () =>
    call.change(
      () => api.POST('/api/calls/{call_id}/hub-links', { params: { path: { call_id: call.id } } }),
      "the hub's link table",
    )
  const instruments = new Resource<InstrumentView[]>((signal) =>
    ask(api.GET('/api/calls/{call_id}/instruments', { ...path, signal })),
  )
  const coordinator = $derived(instruments.value?.find((i) => i.kind === 'coordinator') ?? null)
  let asking = $state(false)
  async function readCoordinator() {
    asking = true
    await call.change(
      () => api.POST('/api/calls/{call_id}/coordinator/read', path),
      'what the coordinator tells',
    )
    asking = false
  }
  const turnHub = (value: string) =>
    call.set({ zigbee: { hub_faces_deg: value === '' ? null : Number(value) } }, 'the way that the hub looks')
  const removeHub = () =>
    call.change(
      () =>
        api.DELETE('/api/calls/{call_id}/meshes/{mesh}', {
          params: {
            path: { call_id: call.id, mesh: 'zigbee' },
            query: { revision: call.call.revision },
          },
        }),
      'removed the Zigbee hub',
    )
</script>

<section class="page">
  <h2 class="mb-2">Zigbee</h2>
  {#if zigbee}
    <p class="mb-2 flex flex-wrap items-center gap-3">
      <span
        >Hub at {call.job.places.find((p) => p.id === zigbee.hub_place_id)?.name} on channel {call.job
          .settings.zigbee_channel}; {zigbee.selectable_channels.length === 1
          ? 'fixed'
          : `can be set to ${zigbee.selectable_channels.join(', ')}`}</span
      >
      <FileDrop class="button slim" label="Zigbee link table" accept=".csv,.json" onfile={readTable}
        ><FileUp size={14} />Link table</FileDrop
      >
      {#if coordinator?.available}<button class="button slim" disabled={asking} onclick={readCoordinator}
          ><Router size={14} />{asking ? 'Asking the coordinator…' : 'Read the coordinator'}</button
        >{/if}
      {#if call.practice}<button class="button slim" disabled={call.busy} onclick={askHub}
          ><Router size={14} />Ask the hub</button
        >{/if}
      <Field label="its antenna looks" beside
        ><select
          class="field slim text-ink"
          value={zigbee.hub_faces_deg ?? ''}
          onchange={(e) => turnHub(e.currentTarget.value)}
        >
          {#each TURNS as [text, degrees] (text)}<option value={degrees}>{text}</option>{/each}
        </select></Field
      >
      <button class="button slim" onclick={removeHub}><X size={14} />Remove the hub</button>
    </p>
    {#if !call.practice && coordinator && !coordinator.available}<p class="mb-2 text-sm text-soft">
        A coordinator on this computer’s port can be read too: {coordinator.why_not}; {coordinator.what_to_do}.
      </p>{/if}
    <MeshDevices
      {call}
      mesh="zigbee"
      head="hub"
      headName="the hub"
      placeLabel="Is at"
      devices={zigbee.devices}
      links={zigbee.links}
    />
  {:else}
    <form class="flex flex-wrap items-end gap-2" onsubmit={addHub}>
      <PlacePick {call} label="Hub stands at" bind:value={hubPlace} />
      <NumberField
        label="Channel now"
        min={rules.zigbeeLow}
        max={rules.zigbeeHigh}
        required
        bind:value={channel}
      />
      <label class="flex min-h-10 items-center gap-2"
        ><input type="checkbox" class="size-5" bind:checked={fixed} />cannot be changed</label
      >
      <button class="button"><Plus size={16} />Add hub</button>
    </form>
    <p class="mt-2 text-sm text-soft">
      Channel 26 is left out unless it is in use: many devices do not do it.
    </p>
  {/if}
</section>
