<script lang="ts">
  import { radioText } from '../../lib/settings'
  import type { Proof, Settings } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  let { state: call, proof }: { state: CallState; proof: Proof } = $props()
  const text = (settings: Settings, id: string) => {
    const s = settings.radios.find((r) => r.radio_id === id)
    return s ? radioText(s) : '–'
  }
  const rows = $derived(
    call.job.nodes.flatMap((n) =>
      n.radios.map((r) => ({
        name: `${n.name}, ${r.band}`,
        before: text(proof.before_settings, r.id),
        after: text(proof.after_settings, r.id),
      })),
    ),
  )
</script>

<section class="page mb-4 overflow-x-auto" aria-label="What was changed">
  <h2 class="mb-2">What was changed</h2>
  <Ledger class="" heads={['Radio', 'Before', 'Read back after']}>
    {#each rows as row, i (i)}
      <tr
        ><td>{row.name}</td><td>{row.before}</td><td class:font-bold={row.before !== row.after}
          >{row.after === row.before ? 'unchanged' : row.after}</td
        ></tr
      >
    {/each}
    {#if proof.before_settings.zigbee_channel}
      <tr
        ><td>Zigbee hub</td><td>channel {proof.before_settings.zigbee_channel}</td><td
          class:font-bold={proof.before_settings.zigbee_channel !== proof.after_settings.zigbee_channel}
          >{proof.before_settings.zigbee_channel === proof.after_settings.zigbee_channel
            ? 'unchanged'
            : `channel ${proof.after_settings.zigbee_channel}`}</td
        ></tr
      >
    {/if}
  </Ledger>
</section>
