<script lang="ts">
  import Known from '../../parts/Known.svelte'
  import { api, ask } from '../../lib/api'
  import { dbm, headroom, mbps, percent, plural, prose } from '../../lib/format'
  import type { Hop, Tree } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  let { state: call }: { state: CallState } = $props()
  const answer = new Resource<Tree>((signal) =>
    ask(
      api.POST('/api/calls/{call_id}/tree', {
        params: { path: { call_id: call.id } },
        body: { settings: call.settings, stands: [] },
        signal,
      }),
    ),
  )
  const tree = $derived(answer.value)
  const nameOf = (id: string) => call.job.nodes.find((n) => n.id === id)?.name ?? id
  const below = (id: string) => (tree?.hops ?? []).filter((h) => h.to_node_id === id)
  const telling = $derived((tree?.what_if ?? []).filter((w) => w.better || w.worse))
</script>

{#snippet hop(h: Hop)}
  <li class="border-l-2 border-(--strong-rule) pl-4">
    <div
      class="relative py-1 before:absolute before:top-4 before:-left-4 before:w-3 before:border-t-2 before:border-(--strong-rule) before:content-['']"
    >
      <span class="font-semibold">{nameOf(h.node_id)}</span>
      <span class="figure ml-2">{h.by === 'cable' ? 'cable' : `${h.by}, ${dbm(h.level_dbm)}`}</span>
      {#if h.level_known}<span class="text-sm"><Known how={h.level_known} /></span>{/if}
      <span class="ml-2 text-sm text-soft">{prose(h.text)}</span>
      {#if h.by !== 'cable'}
        <div
          class="mt-1 flex h-4 max-w-xl border border-(--strong-rule)"
          role="img"
          aria-label="{percent(h.needs_fraction)} of a second for the link"
        >
          <svg class="h-full w-full" preserveAspectRatio="none" viewBox="0 0 100 10"
            ><rect width={Math.min(100, h.needs_fraction * 100)} height="10" class="fill-rule" /></svg
          >
        </div>
        <p class="text-sm">
          carries {mbps(h.carries_mbps)} in {percent(h.needs_fraction)} of each second; clear rate {mbps(
            h.clear_mbps,
          )}; the rooms behind it get up to <strong>{mbps(h.gets_mbps)}</strong> through {plural(
            h.hops,
            'hop',
          )}
        </p>
      {/if}
    </div>
    {#if below(h.node_id).length}<ul class="grid gap-1">
        {#each below(h.node_id) as b (b.node_id)}{@render hop(b)}{/each}
      </ul>{/if}
  </li>
{/snippet}

<article class="page" aria-label="Backhaul">
  <h3 class="mb-2">Backhaul</h3>
  {#if tree}
    {#each tree.notes as note, i (i)}<p class="mb-2 text-accent">{prose(note)}.</p>{/each}
    {#each tree.router_ids as router (router)}
      <p class="font-semibold">{nameOf(router)} <span class="text-sm font-normal text-soft">router</span></p>
      <ul class="ml-2 grid gap-1">
        {#each below(router) as h (h.node_id)}{@render hop(h)}{/each}
      </ul>
    {/each}
    {#if telling.length}
      <Ledger
        label="What if"
        class="mt-3 text-sm"
        heads={['What if', ['Problems', 'figure'], ['Headroom', 'figure'], '']}
      >
        {#each telling as w, i (i)}
          <tr
            ><td>{prose(w.what)}</td><td class="number">{w.problems}</td><td class="number"
              >{headroom(w.headroom)}</td
            ><td class={w.better ? 'font-semibold' : 'text-accent'}>{w.better ? 'better' : 'worse'}</td></tr
          >
        {/each}
      </Ledger>
      <p class="text-sm text-soft">
        The other settings as they are. New cable may mean ladders, attics and drilling; mains is an
        electrician's.
      </p>
    {/if}
  {:else}<p class="text-soft">Following the cables…</p>{/if}
</article>
