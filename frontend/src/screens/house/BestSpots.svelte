<script lang="ts">
  import { api, ask } from '../../lib/api'
  import { dbm, fixed, mbps, signed } from '../../lib/format'
  import type { Placing } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { notices } from '../../state/notices.svelte'

  let { call, heightM }: { call: CallState; heightM: number } = $props()
  let placing = $state<Placing | null>(null)
  let busy = $state(false)

  async function place() {
    busy = true
    try {
      placing = await ask(
        api.POST('/api/calls/{call_id}/placing', {
          params: { path: { call_id: call.id } },
          body: { height_m: heightM },
        }),
      )
    } catch (error) {
      notices.fail(error)
    } finally {
      busy = false
    }
  }
</script>

<section class="page" aria-label="Best spots">
  <h2 class="mb-1">Best spots</h2>
  <button class="button" disabled={busy} onclick={place}>Compare every choice</button>
  {#if placing}
    <p class="my-2 text-sm text-soft">
      {placing.compared} choices compared, all of them. Now: worst spot {placing.now
        ? `${signed(placing.now.worst_margin_db, 0)} dB, ${placing.now.short} too weak`
        : 'unknown'}.
    </p>
    <ul class="grid gap-2 text-sm">
      {#each Object.entries(placing.best) as [count, found], i (count)}
        <li class="border-t border-(--rule) pt-1">
          <strong>{found[0]?.names.join(' + ') ?? '–'}</strong><br />{placing.verdicts[i]}
          {#each found[0]?.links.filter((l) => l.to_outlet_id) ?? [] as link (link.outlet_id)}<br /><span
              class="text-soft"
              >radio link {fixed(link.distance_m, 1)} m, {dbm(link.level_dbm)}, would carry {mbps(
                link.down_mbps ?? 0,
              )}</span
            >{/each}
        </li>
      {/each}
    </ul>
  {/if}
</section>
