<script lang="ts">
  import { Accordion } from 'bits-ui'
  import { ChevronDown, Pin } from '@lucide/svelte'
  import AirtimeLedger from '../../draw/AirtimeLedger.svelte'
  import { db, headroom, plural } from '../../lib/format'
  import { radioText } from '../../lib/settings'
  import type { Node, Radio, RadioOptions } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import RadioControls from './RadioControls.svelte'
  import Reasons from './Reasons.svelte'

  /** One radio in a line: how it is set, its headroom, and where its seconds go; opened, what it may be set to. */
  interface Props {
    state: CallState
    node: Node
    radio: Radio
    blocks: RadioOptions['blocks']
    open: boolean
    pinned: boolean
    onpin: (on: boolean) => void
  }
  let { state: call, node, radio, blocks, open, pinned, onpin }: Props = $props()

  const setting = $derived(call.settings.radios.find((s) => s.radio_id === radio.id)!)
  const before = $derived(call.job.settings.radios.find((s) => s.radio_id === radio.id)!)
  const now = $derived(call.now!.radios.find((r) => r.radio_id === radio.id)!)
  const trial = $derived(call.trialFigures?.radios.find((r) => r.radio_id === radio.id))
  const shown = $derived(trial ?? now)
  const changed = $derived(JSON.stringify(before) !== JSON.stringify(setting))
  let why = $state(false)
</script>

<Accordion.Item
  value={radio.id}
  data-radio={radio.id}
  class={[
    'border-b border-l-8 border-(--rule) last:border-b-0 data-[state=open]:bg-sheet',
    changed ? 'border-l-(--accent)' : 'border-l-transparent',
  ]}
>
  <Accordion.Header level={3} class="font-normal">
    <Accordion.Trigger
      class="grid min-h-12 w-full grid-cols-[minmax(0,1fr)_auto_1.25rem] items-center gap-x-4 px-3 py-1 text-left md:grid-cols-[12rem_minmax(0,1.4fr)_8rem_minmax(0,1.2fr)_1.25rem]"
    >
      <span class="font-semibold">{node.name}, {radio.band}</span>
      <span class="max-md:order-4 max-md:col-span-2">
        {#if changed}<span class="text-soft line-through">{radioText(before)}</span>
          <strong>{radioText(setting)}</strong>{:else}{radioText(setting)}{/if}
        {#if pinned}<Pin size={14} class="inline" aria-label="kept when searching" />{/if}
      </span>
      <span class="figure whitespace-nowrap max-md:text-right">
        {#if call.call.air_known}
          <span class="sr-only">headroom</span>
          <span class:line-through={!!trial && trial.headroom !== now.headroom}>{headroom(now.headroom)}</span
          >
          {#if trial && trial.headroom !== now.headroom}<strong class="text-accent"
              >{headroom(trial.headroom)}</strong
            >{/if}
        {:else}<span class="text-sm text-soft">no scan yet</span>{/if}
      </span>
      <span class="max-md:hidden">
        {#if call.call.air_known && !open}<AirtimeLedger figures={shown} slim />{/if}
      </span>
      <ChevronDown size={18} class={['max-md:order-3', open && 'rotate-180']} aria-hidden="true" />
    </Accordion.Trigger>
  </Accordion.Header>
  <Accordion.Content class="grid gap-3 px-3 pt-1 pb-3">
    <div class="grid items-end gap-x-5 gap-y-3 md:grid-cols-[auto_minmax(0,1fr)]">
      <RadioControls state={call} {radio} {setting} {blocks} {pinned} {onpin} />
      {#if call.call.air_known}<AirtimeLedger figures={shown} />{/if}
    </div>
    {#if call.call.air_known}
      <p class="flex flex-wrap items-center gap-x-3 text-sm">
        <span class="text-soft"
          >{radio.id}: {plural(shown.devices, 'device')}, waits for {plural(shown.defers_to, 'other radio')},
          noise raised by {db(shown.noise_rise_db, 1)}</span
        >
        <button class="underline underline-offset-4" aria-expanded={why} onclick={() => (why = !why)}
          >{why ? 'Hide the sum' : 'Why?'}</button
        >
      </p>
      {#if why}<Reasons state={call} radioId={radio.id} />{/if}
    {/if}
  </Accordion.Content>
</Accordion.Item>
