<script lang="ts">
  import { headroom } from '../../lib/format'
  import type { PlacedPlan } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  let { state: call, placed }: { state: CallState; placed: PlacedPlan } = $props()
  const nodeName = (id: string) => call.job.nodes.find((n) => n.id === id)?.name ?? id
  const chosen = (stands: PlacedPlan['stands']) => JSON.stringify(stands) === JSON.stringify(placed.stands)
</script>

<h3 class="mt-3">
  {#if placed.stands.length}{placed.stands.map((s) => nodeName(s.node_id)).join(' and ')} would stand elsewhere.
  {:else}The nodes may stay where they are.{/if}
</h3>
{#if placed.weighed < placed.possible}<p class="font-semibold">
    {placed.weighed} of {placed.possible} ways to stand were weighed, near ones first: then the time was over. A
    better one may be among the rest; search longer to weigh them all.
  </p>{/if}
<Ledger
  label="Spots weighed"
  class="my-2 text-sm"
  heads={[
    `Stands at (best of ${placed.weighed} ways)`,
    ['Problems as set', 'figure'],
    ['Headroom', 'figure'],
    ['Problems, best settings', 'figure'],
    ['Headroom', 'figure'],
  ]}
>
  {#each placed.ways as way (way.outlets.join())}
    <tr class:font-bold={way.best_problems !== null && chosen(way.stands)}
      ><td>{way.outlets.join(', ')}</td><td class="number">{way.problems}</td><td class="number"
        >{headroom(way.headroom)}</td
      ><td class="number">{way.best_problems ?? 'not searched'}</td><td class="number"
        >{way.best_problems === null ? '' : headroom(way.best_headroom)}</td
      ></tr
    >
  {/each}
</Ledger>
{#if placed.stands.length}
  <p class="mb-2 text-sm text-soft">
    Move the node first, read its link's level, then send the settings: under House, “keep” writes the new
    spot down. A ladder needs somebody to hold it; leave mains sockets to an electrician.
  </p>
{/if}
