<script lang="ts">
  import DifferenceMark from '../../draw/DifferenceMark.svelte'
  import { fixed } from '../../lib/format'
  import type { PlaceProof, Proof } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'

  let { call, proof }: { call: CallState; proof: Proof } = $props()
  const place = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id
  const MARK = { better: '+', worse: '×', inconclusive: '?' }
  const said = (p: PlaceProof) => (p.mixed ? 'some better, some worse' : p.verdict)
</script>

<section class="page mb-4" aria-label="Place by place">
  <h2 class="mb-2">Spot by spot</h2>
  <ul class="grid gap-x-8 md:grid-cols-2">
    {#each proof.places as p (p.place_id)}
      <li class="border-b border-(--rule) py-2" data-spot={p.place_id} data-verdict={p.verdict}>
        <div class="flex items-baseline gap-2">
          <strong class="grow text-lg">{place(p.place_id)}</strong>
          <span class="text-sm text-soft">at {fixed(p.height_m, 1)} m</span>
          <strong
            class:text-good={p.verdict === 'better'}
            class:text-accent={p.verdict === 'worse' || p.mixed}
            >{p.mixed ? '±' : MARK[p.verdict]} {said(p)}</strong
          >
        </div>
        {#each [['Down', p.down, 'ratio'], ['Up', p.up, 'ratio'], ['Latency under load', p.latency, 'latency'], ['Stalls a run', p.stalls, 'rate']] as const as [label, d, kind] (label)}
          {#if d}<div class="text-sm">
              <span class="text-soft">{label}</span><DifferenceMark {d} {kind} />
            </div>{/if}
        {/each}
        {#each p.levels as l (l.band)}
          {#if l.margin}<div class="text-sm">
              <span class="text-soft">Margin over the strongest interferer, {l.band}</span><DifferenceMark
                d={l.margin}
                kind="level"
              />
            </div>{/if}
        {/each}
      </li>
    {/each}
  </ul>
</section>
