<script lang="ts">
  import { db, dbm, fixed } from '../../lib/format'
  import type { SampleView } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'

  let { call, sampled, lost }: { call: CallState; sampled: SampleView | null; lost: boolean } = $props()
  const settled = $derived(!!sampled?.settled)
  const best = $derived(
    [...(sampled?.margins ?? [])]
      .filter((g) => g.own_dbm !== null)
      .sort((a, b) => b.own_dbm! - a.own_dbm!)[0] ?? null,
  )
  const radioOf = (bssid: string) => call.job.nodes.flatMap((n) => n.radios).find((r) => r.bssid === bssid)
  const held = $derived(
    [...(sampled?.settling ?? [])]
      .map((s) => ({ ...s, radio: radioOf(s.bssid) }))
      .sort((a, b) => b.median_dbm - a.median_dbm),
  )
</script>

<div class="text-center" aria-live="polite">
  <div class="figure text-8xl leading-none" data-figure="level">
    {best?.own_dbm != null ? dbm(held[0]?.median_dbm).replace(' dBm', '') : '–'}
  </div>
  <div class="text-lg text-soft">
    {#if !sampled}dBm{:else if settled}dBm, settled{:else}dBm, settling: {held[0]?.count ?? 0} levels{/if}
  </div>
</div>
{#if lost}<p class="text-center font-semibold text-accent">
    No connection: type the level that the phone shows instead.
  </p>{/if}
{#if sampled}
  <table class="ledger" aria-label="Own level and interferers">
    <thead
      ><tr
        ><th>Band</th><th class="number">Own</th><th class="number whitespace-normal">Strongest interferer</th
        ><th class="number">Margin</th></tr
      ></thead
    >
    <tbody>
      {#each sampled.margins as margin (margin.band)}
        {@const own = held.find((h) => h.radio?.id === margin.radio_id)}
        <tr
          ><td class="whitespace-nowrap"
            >{margin.band}<br /><span class="text-sm text-soft">{margin.radio_id ?? 'not heard'}</span></td
          >
          <td class="number figure"
            >{dbm(own?.median_dbm)}<br /><span class="text-sm font-normal text-soft"
              >±{fixed(own?.error_db, 1)} of {own?.count}</span
            ></td
          ><td class="number">{margin.interferer_dbm === null ? 'none' : dbm(margin.interferer_dbm)}</td><td
            class="number figure"
            class:text-accent={margin.margin_db !== null && !margin.clear}
            >{margin.margin_db === null ? '–' : db(margin.margin_db)}</td
          ></tr
        >
      {/each}
    </tbody>
  </table>
{/if}
