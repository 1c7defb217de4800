<script lang="ts">
  import { Lock, Pin } from '@lucide/svelte'
  import AirtimeLedger from '../../draw/AirtimeLedger.svelte'
  import { db, headroom, plural } from '../../lib/format'
  import { blockKey, channelChoices, lawfulSteps, moveTo, widthChoices } from '../../lib/settings'
  import type { Node, Radio, RadioOptions } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import Reasons from './Reasons.svelte'
  import Picker from '../../parts/Picker.svelte'

  let {
    state: call,
    node,
    radio,
    blocks,
    pinned,
    onpin,
  }: {
    state: CallState
    node: Node
    radio: Radio
    blocks: RadioOptions['blocks']
    pinned: boolean
    onpin: (on: boolean) => void
  } = $props()

  const setting = $derived(call.settings.radios.find((s) => s.radio_id === radio.id)!)
  const before = $derived(call.job.settings.radios.find((s) => s.radio_id === radio.id)!)
  const now = $derived(call.now!.radios.find((r) => r.radio_id === radio.id)!)
  const trial = $derived(call.trialFigures?.radios.find((r) => r.radio_id === radio.id))
  const shown = $derived(trial ?? now)
  const changed = $derived(JSON.stringify(before) !== JSON.stringify(setting))
  const widths = $derived(widthChoices(blocks, setting))
  const channels = $derived(channelChoices(blocks, setting))
  const powers = $derived(
    [...new Set([...lawfulSteps(radio.eirp_steps_dbm, channels.present), setting.eirp_dbm])].sort(
      (a, b) => a - b,
    ),
  )
  let open = $state(false)

  const setWidth = (width: number) => {
    const options = blocks.filter((b) => b.width_mhz === width)
    const block = options.find((b) => b.channel === setting.channel) ?? options[0]
    if (block) setBlock(blockKey(block))
  }
  const setBlock = (key: string) => {
    const block = blocks.find((b) => blockKey(b) === key)
    if (!block) return
    void call.tryRadio(moveTo(setting, block, radio.eirp_steps_dbm))
  }
</script>

<article class="page" data-radio={radio.id} class:border-l-8={changed} class:border-l-(--accent)={changed}>
  <div class="grid items-start gap-x-5 gap-y-3 md:grid-cols-[13rem_minmax(0,1fr)_minmax(0,1.2fr)]">
    <div>
      <h3>{node.name}, {radio.band}</h3>
      <p class="text-sm text-soft">
        {radio.id}{call.call.air_known
          ? `, ${plural(shown.devices, 'device')}, waits for ${shown.defers_to}`
          : ': no scan yet'}
      </p>
      {#if call.call.air_known}<p class="mt-1">
          <span class="text-sm text-soft">Headroom</span>
          <span class="figure text-lg" class:line-through={!!trial && changed}>{headroom(now.headroom)}</span>
          {#if trial && trial.headroom !== now.headroom}<span class="figure text-lg text-accent"
              >{headroom(trial.headroom)}</span
            >{/if}
        </p>{/if}
    </div>
    <div class="flex flex-wrap items-end gap-2">
      {#if radio.locked}
        <p class="flex items-center gap-2">
          <Lock size={16} />locked on {setting.channel} at {setting.width_mhz} MHz
        </p>
      {:else}
        <label class="grid text-xs text-soft"
          >Channel
          <select
            class="field slim text-base text-ink"
            value={blockKey(channels.present)}
            onchange={(e) => setBlock(e.currentTarget.value)}
          >
            {#each channels.options as block (blockKey(block))}
              <option value={blockKey(block)}
                >{block.channel}{block.dfs ? ' radar' : ''}{channels.twice.has(block.channel)
                  ? ` (${block.centre_mhz} MHz)`
                  : ''}</option
              >
            {/each}
          </select>
        </label>
        <label class="grid text-xs text-soft"
          >Width, MHz
          <Picker
            class="field slim text-base text-ink"
            value={setting.width_mhz}
            onchange={(e) => setWidth(Number(e.currentTarget.value))}
            options={widths}
          />
        </label>
        <label class="grid text-xs text-soft"
          >Power, dBm
          <Picker
            class="field slim text-base text-ink"
            value={setting.eirp_dbm}
            onchange={(e) => call.tryRadio({ ...setting, eirp_dbm: Number(e.currentTarget.value) })}
            options={powers}
          />
        </label>
        <button
          class="button slim"
          aria-pressed={pinned}
          class:bg-ink={pinned}
          class:text-paper={pinned}
          onclick={() => onpin(!pinned)}
          title="Keep this block when searching"><Pin size={15} />{pinned ? 'kept' : 'keep'}</button
        >
      {/if}
      {#if changed}<p class="basis-full text-sm text-soft">
          now: channel {before.channel}, {before.width_mhz} MHz, {before.eirp_dbm} dBm
        </p>{/if}
    </div>
    <div>
      {#if call.call.air_known}<AirtimeLedger figures={shown} />
        <p class="mt-1 flex flex-wrap items-center gap-x-3 text-sm">
          <span>noise raised by {db(shown.noise_rise_db, 1)}</span>
          <button class="underline underline-offset-4" aria-expanded={open} onclick={() => (open = !open)}
            >{open ? 'Hide the sum' : 'Why?'}</button
          >
        </p>{/if}
    </div>
  </div>
  {#if open}<Reasons state={call} radioId={radio.id} />{/if}
</article>
