<script lang="ts">
  import { Lock, Pin } from '@lucide/svelte'
  import { blockKey, channelChoices, lawfulSteps, moveTo, widthChoices } from '../../lib/settings'
  import type { Radio, RadioOptions, RadioSetting } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'

  /** Channel, width and power of one radio, to be tried by hand. */
  interface Props {
    state: CallState
    radio: Radio
    setting: RadioSetting
    blocks: RadioOptions['blocks']
    pinned: boolean
    onpin: (on: boolean) => void
  }
  let { state: call, radio, setting, blocks, pinned, onpin }: Props = $props()

  const widths = $derived(widthChoices(blocks, setting))
  const channels = $derived(channelChoices(blocks, setting))
  const powers = $derived(
    [...new Set([...lawfulSteps(radio.eirp_steps_dbm, channels.present), setting.eirp_dbm])].sort(
      (a, b) => a - b,
    ),
  )
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

{#if radio.locked}
  <p class="flex items-center gap-2">
    <Lock size={16} />locked on {setting.channel} at {setting.width_mhz} MHz
  </p>
{:else}
  <div class="flex flex-wrap items-end gap-2">
    <Field label="Channel">
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
    </Field>
    <Field label="Width, MHz">
      <Picker
        class="field slim text-base text-ink"
        value={setting.width_mhz}
        onchange={(e) => setWidth(Number(e.currentTarget.value))}
        options={widths}
      />
    </Field>
    <Field label="Power, dBm">
      <Picker
        class="field slim text-base text-ink"
        value={setting.eirp_dbm}
        onchange={(e) => call.tryRadio({ ...setting, eirp_dbm: Number(e.currentTarget.value) })}
        options={powers}
      />
    </Field>
    <button
      class="button slim"
      aria-pressed={pinned}
      class:bg-ink={pinned}
      class:text-paper={pinned}
      onclick={() => onpin(!pinned)}
      title="Keep this block when searching"><Pin size={15} />{pinned ? 'kept' : 'keep'}</button
    >
  </div>
{/if}
