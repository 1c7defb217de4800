<script lang="ts">
  import Known from '../../parts/Known.svelte'
  import MeshDrawing from '../../draw/MeshDrawing.svelte'
  import { api, ask } from '../../lib/api'
  import { capital, floorName, percent } from '../../lib/format'
  import { rules } from '../../state/rules.svelte'
  import type { HouseView, ZigbeeHelp } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'

  let { state: call, help }: { state: CallState; help: ZigbeeHelp } = $props()
  const answer = new Resource<HouseView>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/house', { params: { path: { call_id: call.id } }, signal }))
  })
  const view = $derived(answer.value)
  let predicted = $state(false)
  const storeys = $derived([...new Set((call.job.building?.rooms ?? []).map((r) => r.storey))].sort())
</script>

{#if view && call.job.building}
  <div class="mt-2 grid gap-4 lg:grid-cols-2" data-mesh>
    {#each storeys as storey (storey)}
      <figure class="m-0">
        <figcaption class="text-sm text-soft">{capital(floorName(storey))}</figcaption>
        <MeshDrawing
          job={call.job}
          building={call.job.building}
          {view}
          {storey}
          {help}
          showPredicted={predicted}
        />
      </figure>
    {/each}
  </div>
  <p class="mt-1 flex flex-wrap items-center gap-x-4 text-sm text-soft">
    <span
      >Square: hub. Full circle: mains, router. Open circle: battery. Strong line: the route, broken where it
      delivers less than {percent(rules.offered.wanted_delivery)}; a stub leads to another floor.</span
    >
    <label class="flex items-center gap-1"
      ><input type="checkbox" class="size-5" bind:checked={predicted} />links that nobody measured,
      <Known how="predicted" /> and dashed</label
    >
  </p>
{:else if !call.job.building}
  <p class="mt-2 text-sm text-soft">
    <a class="underline" href="#/call/{call.id}/house">Draw the house</a> to see the mesh on it.
  </p>
{/if}
