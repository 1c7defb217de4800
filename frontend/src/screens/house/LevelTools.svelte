<script lang="ts">
  import Known from '../../parts/Known.svelte'
  import { dbm, fixed, percent, signed } from '../../lib/format'
  import type { Band, HouseView, Picture, Stand } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import NodeStands from './NodeStands.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  interface Props {
    call: CallState
    picture: Picture | null
    view: HouseView | null
    stands: Record<string, Stand>
    moved: Record<string, Stand>
    band: Band
    direction: 'downlink' | 'uplink'
  }
  let { call, picture, view, stands, moved, band, direction }: Props = $props()

  const placeName = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id
  const onTrial = $derived(Object.keys(moved).length > 0)
  const worst = $derived(
    [...(picture?.spots ?? [])].sort((a, b) => (a.margin_db ?? 99) - (b.margin_db ?? 99)),
  )
</script>

<aside class="grid min-w-0 grid-cols-[minmax(0,1fr)] content-start gap-4">
  {#if onTrial}
    <section class="page border-accent!">
      <h2 class="mb-2 text-accent">
        On trial: {Object.keys(moved)
          .map((id) => call.job.nodes.find((n) => n.id === id)?.name)
          .join(', ')}
      </h2>
      <p class="mb-2 text-sm text-soft">
        Moved now: what was read before belongs to the old place. Stood so all along: it was written down
        wrongly, and what was read belongs here.
      </p>
      <div class="flex flex-wrap gap-2">
        <button class="button main" onclick={() => call.keepStands()}>Moved now</button>
        <button class="button" onclick={() => call.keepStands(true)}>Stood so all along</button>
        <button class="button" onclick={() => call.try(null)}>Back</button>
      </div>
    </section>
  {/if}
  {#if picture}
    <section class="page">
      <h2 class="mb-1">
        {picture.band}, {direction === 'downlink'
          ? 'to the device'
          : `from a phone of ${dbm(picture.phone_dbm)}`}
      </h2>
      <table class="ledger text-sm" aria-label="This floor">
        <tbody>
          <tr
            ><td>{dbm(picture.design_dbm)} or better</td><td class="number figure"
              >{percent(picture.covered_fraction)}</td
            ></tr
          >
          <tr
            ><td>second node at {dbm(picture.handover_dbm)} or better</td><td class="number figure"
              >{percent(picture.overlap_fraction)}</td
            ></tr
          >
          <tr
            ><td>known to, in the middle</td><td class="number figure"
              >±{fixed(picture.median_spread_db, 1)} dB</td
            ></tr
          >
          <tr
            ><td>hatched: ±{picture.unsure_db} dB and worse</td><td class="number figure"
              >{percent(picture.unsure_fraction)}</td
            ></tr
          >
        </tbody>
      </table>
      <Ledger
        label="Spots"
        class="mt-2 text-sm"
        heads={['Spot', ['Level', 'figure'], ['Beside need', 'figure']]}
      >
        {#each worst as spot (spot.place_id)}
          <tr
            ><td>{placeName(spot.place_id)}</td><td class="number"
              ><Known how="predicted" bare />
              {dbm(spot.level_dbm)} <span class="text-soft">±{fixed(spot.spread_db ?? 0)}</span></td
            ><td class="number figure" class:text-accent={(spot.margin_db ?? 0) < 0}
              >{spot.margin_db === null ? '–' : `${signed(spot.margin_db, 0)} dB`}</td
            ></tr
          >
        {/each}
      </Ledger>
    </section>
  {/if}
  <NodeStands {call} {view} {stands} {moved} {band} />
</aside>
