<script lang="ts">
  import { db, fixed, prose } from '../../lib/format'
  import type { HouseView } from '../../lib/types'
  import Ledger from '../../parts/Ledger.svelte'

  /** What the readings say of the house: which ones nothing explains, and what its walls cost beside the book. */
  let { view }: { view: HouseView | null } = $props()
</script>

{#if view && view.readings}
  <section class="page" aria-label="What the readings say">
    <h2 class="mb-1">What {view.readings} readings say</h2>
    {#each view.strange as s (s.scan_id + s.radio_id)}<p class="mb-2 text-sm text-accent">
        {prose(s.text)}
      </p>{/each}
    <Ledger class="tight text-sm" heads={['Made of', ['book, 5 GHz', 'figure'], ['here', 'figure']]}>
      {#each view.fits as fit (fit.kind)}
        <tr
          ><td>{fit.kind}</td><td class="number">{db(fit.computed_db['5 GHz'], 1)}</td><td
            class="number figure"
            >× {fixed(fit.factor, 2)} <span class="text-soft">±{fixed(fit.factor_spread, 2)}</span></td
          ></tr
        >
      {/each}
    </Ledger>
    <p class="mt-1 text-sm text-soft">
      Unexplained from spot to spot: ±{fixed(view.shadowing_db, 1)} dB.
    </p>
  </section>
{/if}
{#if !view?.readings}
  <p class="page text-soft">Nothing measured yet: walls attenuate as the handbook says.</p>
{/if}
