<script lang="ts">
  import { Eye } from '@lucide/svelte'
  import { delivery, fixed, headroom, percent, plural, prose, signed } from '../../lib/format'
  import type { TruthView } from '../../lib/types'
  import Ledger from '../../parts/Ledger.svelte'
  import type { CallState } from '../../state/call.svelte'

  let { state: call }: { state: CallState } = $props()
  let shown = $state<TruthView | null>(null)
  let at = $state(0)
  const speed = (value: number) => fixed(value, value < 10 ? 1 : 0)
  /** What was shown belongs to the revision that it was asked on. */
  const truth = $derived(at === call.call.revision ? shown : null)
  async function show() {
    shown = await call.showTruth()
    at = call.call.revision
  }
</script>

<section class="page no-print mb-4" aria-label="The truth of this practice house">
  <h3>The truth of this practice house</h3>
  {#if !truth}
    <p class="my-2">
      What the settings really do in the busiest hour, the best that was possible, and what each thing costs:
      look when you have made up your mind.
    </p>
    <button class="button" disabled={call.busy} onclick={() => void show()}
      ><Eye size={18} />Show the truth</button
    >
  {:else}
    <Ledger
      label="What settings really do"
      class="my-2"
      heads={[
        'In the truth',
        ['Problems', 'figure'],
        ['Devices carried', 'figure'],
        ['Headroom', 'figure'],
        ['Worst Zigbee', 'figure'],
        ['Speed, middle', 'figure'],
        ['slowest spot', 'figure'],
      ]}
    >
      {#each truth.figures as row (row.name)}
        <tr class:font-bold={row.name.startsWith('as it is')}
          ><td>{row.name}</td><td class="number">{row.problems}</td><td class="number"
            >{percent(row.served)}</td
          ><td class="number">{headroom(row.headroom)}</td><td class="number"
            >{delivery(row.worst_zigbee_delivery)}</td
          ><td class="number">{speed(row.median_speed_mbps)} Mb/s</td><td class="number"
            >{speed(row.worst_speed_mbps)} Mb/s</td
          ></tr
        >
      {/each}
    </Ledger>
    <p class="my-2">
      By what was measured the model says {plural(truth.predicted_problems, 'problem')} and {headroom(
        truth.predicted_headroom,
      )} headroom under the current settings. The best is what {truth.tried} tries found in the truth.
    </p>
    {#if truth.decisions.length}
      <Ledger
        label="What each thing costs"
        class="my-2"
        heads={['Set otherwise', 'Now', 'Best', ['Problems fewer', 'figure'], ['Headroom', 'figure']]}
      >
        {#each truth.decisions as d, i (i)}
          <tr
            ><td>{prose(d.what)}</td><td>{prose(d.now)}</td><td>{prose(d.best)}</td><td class="number"
              >{d.problems}</td
            ><td class="number">{signed(d.headroom, 2)}×</td></tr
          >
        {/each}
      </Ledger>
      <p class="text-sm">Each put right alone, all else as it is: together they may do more, or less.</p>
    {:else}
      <p>Everything is set as in the best that was found.</p>
    {/if}
    {#if truth.problems.length}<p class="mt-2 text-sm">
        Problems that are there: {truth.problems.join('; ')}.
      </p>{/if}
  {/if}
</section>
