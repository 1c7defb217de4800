<script lang="ts">
  import { Accordion } from 'bits-ui'
  import { untrack } from 'svelte'
  import type { RadioOptions } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import RadioCard from './RadioCard.svelte'

  /** The radios of the house, a line each; one at a time is opened. */
  interface Props {
    state: CallState
    options: RadioOptions[]
    pinned: string[]
    onpin: (radioId: string, on: boolean) => void
  }
  let { state: call, options, pinned, onpin }: Props = $props()
  const radios = $derived(call.job.nodes.flatMap((n) => n.radios.map((radio) => ({ node: n, radio }))))
  /** The one with the least headroom is the first that somebody would turn to. */
  let open = $state(untrack(() => call.now?.headroom_radio_id ?? radios[0]?.radio.id ?? ''))
</script>

<section class="page p-0!" aria-label="Radios">
  <p
    class="hidden gap-x-4 border-b border-l-8 border-l-transparent border-b-(--ink) px-3 py-1 text-xs text-soft md:grid md:grid-cols-[12rem_minmax(0,1.4fr)_8rem_minmax(0,1.2fr)_1.25rem]"
    aria-hidden="true"
  >
    <span>Radio</span><span>Channel, width, power</span><span>Headroom</span><span>One second of airtime</span
    >
  </p>
  <Accordion.Root type="single" bind:value={open}>
    {#each radios as { node, radio } (radio.id)}
      <RadioCard
        state={call}
        {node}
        {radio}
        blocks={options.find((o) => o.radio_id === radio.id)?.blocks ?? []}
        open={open === radio.id}
        pinned={pinned.includes(radio.id)}
        onpin={(on) => onpin(radio.id, on)}
      />
    {/each}
  </Accordion.Root>
</section>
