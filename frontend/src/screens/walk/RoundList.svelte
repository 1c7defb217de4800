<script lang="ts">
  import { fixed, plural, prose } from '../../lib/format'
  import type { Route } from '../../lib/types'

  interface Props {
    round: Route | null
    note: string
    placeId: string
    nameOf: (id: string) => string
    go: (id: string) => void
  }
  let { round, note, placeId, nameOf, go }: Props = $props()
</script>

<section class="page content-start" aria-label="The route">
  <h2 class="mb-2">The route</h2>
  {#if note}<p class="text-sm text-soft">{note}</p>{/if}
  {#if round}
    <p class="mb-2 text-sm text-soft">
      Levels are known to ±{fixed(round.house_db, 1)} dB over the house. {round.stops.length
        ? `${plural(round.stops.length, 'stop')}, ${fixed(round.walk_m)} m to walk.`
        : 'No further spot would teach much.'}
    </p>
    <ol class="grid gap-1">
      {#each round.stops as s, i (s.place_id)}
        <li>
          <button
            class="w-full rounded border px-3 py-2 text-left {s.place_id === placeId
              ? 'border-accent'
              : 'border-(--rule)'}"
            onclick={() => go(s.place_id)}
          >
            <span class="figure mr-1">{i + 1}</span><strong>{nameOf(s.place_id)}</strong>
            <span class="text-sm text-soft"
              >{s.walk_m ? `${fixed(s.walk_m)} m` : 'here'}{s.measured ? ', once more' : ''}</span
            >
            <br /><span class="text-sm text-soft">{prose(s.reason)}</span>
          </button>
        </li>
      {/each}
    </ol>
  {/if}
</section>
