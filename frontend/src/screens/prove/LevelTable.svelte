<script lang="ts">
  import { db, dbm } from '../../lib/format'
  import type { Proof } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'

  let { state: call, proof }: { state: CallState; proof: Proof } = $props()
  const place = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id
</script>

<section class="page mb-4 overflow-x-auto" aria-label="Levels">
  <h2 class="mb-1">Levels: own against the strongest interferer on the same spectrum</h2>
  <p class="mb-2 text-sm text-soft">
    Closer to zero is stronger; a larger margin is better. The interferer is never below the receiver's own
    noise.
  </p>
  <table class="ledger text-sm">
    <thead>
      <tr
        ><th rowspan="2">Place</th><th rowspan="2">Band</th><th colspan="2" class="text-center!">Own</th><th
          colspan="2"
          class="text-center!">Interferer</th
        ><th colspan="2" class="text-center!">Margin</th></tr
      >
      <tr
        ><th class="number">before</th><th class="number">after</th><th class="number">before</th><th
          class="number">after</th
        ><th class="number">before</th><th class="number">after</th></tr
      >
    </thead>
    <tbody>
      {#each proof.places as p (p.place_id)}
        {#each p.levels as l (l.band)}
          <tr>
            <td>{place(p.place_id)}</td>
            <td>{l.band}</td>
            <td class="number">{dbm(l.own_before_dbm)}</td>
            <td class="number">{dbm(l.own_after_dbm)}</td>
            <td class="number">{dbm(l.interferer_before_dbm)}</td>
            <td class="number">{dbm(l.interferer_after_dbm)}</td>
            <td class="number">{db(l.margin_before_db)}</td>
            <td class="number font-bold">{db(l.margin_after_db)}</td>
          </tr>
        {/each}
      {/each}
    </tbody>
  </table>
</section>
