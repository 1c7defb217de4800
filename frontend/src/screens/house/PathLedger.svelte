<script lang="ts">
  import Known from '../../parts/Known.svelte'
  import { db, dbm, fixed, mbps, prose, signed } from '../../lib/format'
  import type { PointView } from '../../lib/types'
  import Picker from '../../parts/Picker.svelte'

  let { paths }: { paths: PointView | null } = $props()
  let radioId = $state('')
  const path = $derived(paths?.paths.find((p) => p.radio_id === radioId) ?? paths?.paths[0] ?? null)
</script>

{#if path && paths}
  <section class="page" aria-label="Where the decibels go">
    <h2 class="mb-1">Where the decibels go</h2>
    <Picker
      class="field slim mb-2"
      aria-label="Radio"
      value={path.radio_id}
      onchange={(e) => (radioId = e.currentTarget.value)}
      options={paths.paths.map(
        (p) =>
          [
            p.radio_id,
            `${p.radio_id}: ${dbm(p.level_dbm)}${p.radio_id === paths.held_radio_id ? ', held here' : ''}`,
          ] as const,
      )}
    />
    <table class="ledger text-sm">
      <tbody>
        {#each path.steps as step, i (i)}
          <tr><td>{prose(step.what)}</td><td class="number figure">{signed(step.db)}</td></tr>
        {/each}
        <tr class="border-t-2 border-ink"
          ><td class="font-bold">level <Known how="predicted" bare /></td><td class="number figure"
            >{dbm(path.level_dbm)} ±{fixed(path.spread_db)}</td
          ></tr
        >
        <tr><td>over noise</td><td class="number">{db(path.snr_db)}</td></tr>
        <tr><td>back from a phone</td><td class="number">{dbm(path.uplink_dbm)}</td></tr>
        <tr
          ><td>clear air would carry</td><td class="number">{mbps(path.down_mbps)} / {mbps(path.up_mbps)}</td
          ></tr
        >
      </tbody>
    </table>
  </section>
{:else}<p class="page text-sm text-soft">
    Click on the plan: every decibel on the way there, wall by wall. Drag a node: the lines follow.
  </p>{/if}
