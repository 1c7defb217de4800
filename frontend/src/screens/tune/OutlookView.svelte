<script lang="ts">
  import Sign from '../../parts/Sign.svelte'
  import Known from '../../parts/Known.svelte'
  import { fixed, headroom, percent, plural, prose } from '../../lib/format'
  import type { Outlook, Span } from '../../lib/types'
  import Ledger from '../../parts/Ledger.svelte'

  /** What will come of the plan: the house's figures now and then, how sure, and what it hangs on. */
  let { outlook }: { outlook: Outlook } = $props()
  const SHOWN: Record<string, { label: string; text: (value: number) => string }> = {
    problems: { label: 'Problems', text: (v) => fixed(v) },
    headroom: { label: 'Headroom', text: (v) => headroom(v) },
    'devices carried': { label: 'Devices carried', text: (v) => percent(v) },
    'worst Zigbee delivery': { label: 'Worst Zigbee', text: (v) => percent(v, 1) },
  }
  const range = (span: Span, text: (value: number) => string) =>
    text(span.low) === text(span.high) ? '' : `${text(span.low)} to ${text(span.high)}`
  const falling = $derived(outlook.speeds.filter((s) => s.falls))
</script>

<section class="mb-2 grid gap-x-8 gap-y-2 lg:grid-cols-2" aria-label="What will come">
  <Ledger label="What will come" heads={['The house', ['Now', 'figure'], ['Then', 'figure']]}>
    {#each outlook.figures as figure (figure.name)}
      {@const shown = SHOWN[figure.name]}
      {#if shown}
        <tr
          ><td>{shown.label}</td>
          <td class="number"
            >{shown.text(figure.now.middle)}
            <span class="ml-2 text-xs text-soft max-sm:block">{range(figure.now, shown.text)}</span></td
          >
          <td class="number font-bold"
            >{shown.text(figure.then.middle)}
            <span class="ml-2 text-xs font-normal text-soft max-sm:block"
              >{range(figure.then, shown.text)}</span
            ></td
          ></tr
        >
      {/if}
    {/each}
  </Ledger>
  <div class="grid content-start gap-2">
    <p>
      <Known how="predicted" />. <strong>How sure:</strong> tried in {outlook.worlds} drawn worlds that agree with
      what was measured: better than now in <strong>{outlook.better}</strong>, worse in
      <strong>{outlook.worse}</strong>. Each range holds at least {percent(outlook.held_share)} of them.
    </p>
    <p>
      {#if outlook.hinge}It hangs most on {prose(outlook.hinge.what)}.
        <strong>To settle it: {prose(outlook.hinge.measure)}.</strong>{:else}No single unknown decides it.{/if}
      {#if falling.length}<span class="text-accent"
          ><Sign mark="▼" says="Note:" /> {plural(falling.length, 'place')} would be noticeably slower</span
        >: why stands under Rooms.{/if}
      {#if outlook.parts.length}As heard in the {outlook.parts.join(', the ')}: {outlook.worse_in.length
          ? `worse in the ${outlook.worse_in.join(' and the ')}`
          : 'worse in none of them'}.{/if}
    </p>
  </div>
</section>
