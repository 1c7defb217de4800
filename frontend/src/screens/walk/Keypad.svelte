<script lang="ts">
  import { Delete, Plus, X } from '@lucide/svelte'
  import { typing } from '../../lib/keys'
  import { press, shownText, UNIT_HINT, type UnitName } from '../../lib/levels'
  import type { Band, Radio } from '../../lib/types'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'
  import { rules } from '../../state/rules.svelte'
  import type { WalkState } from '../../state/walk.svelte'

  let { radios, walk }: { radios: (Radio & { node: string })[]; walk: WalkState } = $props()
  let picked = $state('')
  let adding = $state(false)
  let name = $state('')
  let band = $state<Band>('2.4 GHz')
  let channel = $state<number | undefined>()
  const keys = $derived([...radios.map((r) => r.bssid), ...walk.others.map((o) => o.key)])
  $effect(() => {
    if (!keys.includes(picked)) picked = keys[0] ?? ''
  })
  const value = $derived(walk.typed[picked] ?? '')
  const other = $derived(walk.others.find((o) => o.key === picked) ?? null)
  const count = (key: string) => {
    const typed = walk.typed[key]
    return typed ? ` (${typed.split(' ').length})` : ''
  }

  const enter = (digit: string) => (walk.typed = { ...walk.typed, [picked]: press(value, digit, walk.unit) })
  const back = () => (walk.typed = { ...walk.typed, [picked]: value.slice(0, -1).trimEnd() })
  function key(event: KeyboardEvent) {
    if (typing(event) || event.ctrlKey || event.metaKey || event.altKey) return
    if (/^\d$/.test(event.key)) {
      event.preventDefault()
      event.stopPropagation()
      enter(event.key)
    } else if (event.key === 'Backspace') back()
  }
  function addNeighbour(event: SubmitEvent) {
    event.preventDefault()
    if (channel === undefined) return
    picked = walk.addNeighbour({ name, band, channel })
    name = ''
    channel = undefined
    adding = false
    if (document.activeElement instanceof HTMLElement) document.activeElement.blur()
  }
</script>

<svelte:window onkeydowncapture={key} />
<div>
  <div class="mb-2 flex items-center gap-2">
    <label class="flex min-w-0 grow items-center gap-2 text-sm text-soft"
      ><span class="max-sm:sr-only">Radio</span>
      <Picker
        class="field min-w-0 grow text-base text-ink"
        bind:value={picked}
        onchange={(e) => e.currentTarget.blur()}
        options={[
          ...radios.map((r) => [r.bssid, `${r.node}, ${r.band}${count(r.bssid)}`] as const),
          ...walk.others.map(
            (o) => [o.key, `${o.name || 'hidden'}, ${o.band} ${o.channel}${count(o.key)}`] as const,
          ),
        ]}
      /></label
    >
    {#if other}<button
        class="button slim"
        aria-label="Forget the neighbour {other.name}"
        onclick={() => walk.forgetNeighbour(other.key)}><X size={15} /></button
      >{/if}
    <button
      class="button slim min-h-10!"
      aria-label="Neighbour"
      title="A neighbour that the device lists"
      aria-expanded={adding}
      onclick={() => (adding = !adding)}
      ><Plus size={18} /><span class="max-sm:hidden">Neighbour</span></button
    >
  </div>
  {#if adding}
    <form class="mb-2 flex flex-wrap items-end gap-2" onsubmit={addNeighbour}>
      <Field label="Its name, as shown" grow
        ><input class="field min-w-0 text-base text-ink" bind:value={name} maxlength="128" /></Field
      >
      <Field label="Band"
        ><Picker class="field text-base text-ink" bind:value={band} options={rules.offered.bands} /></Field
      >
      <Field label="Channel"
        ><input
          class="field w-20 text-base text-ink"
          type="number"
          min="1"
          max="233"
          required
          bind:value={channel}
        /></Field
      >
      <button class="button">Add</button>
    </form>
  {/if}
  <output class="figure block min-h-14 text-center text-5xl" aria-label="Typed levels in {walk.unit.unit}"
    >{shownText(value, walk.unit)}</output
  >
  <div class="grid grid-cols-3 gap-2">
    {#each ['7', '8', '9', '4', '5', '6', '1', '2', '3'] as digit (digit)}
      <button class="button min-h-14! justify-center text-2xl" onclick={() => enter(digit)}>{digit}</button>
    {/each}
    <div class="self-center text-center text-sm text-soft">
      <Picker
        class="field slim w-full text-base text-ink"
        aria-label="What the device shows"
        value={walk.unit.unit}
        onchange={(e) => {
          walk.setUnit(e.currentTarget.value as UnitName)
          e.currentTarget.blur()
        }}
        options={rules.offered.level_units.map((u) => u.unit)}
      />
      {UNIT_HINT[walk.unit.unit]}
    </div>
    <button class="button min-h-14! justify-center text-2xl" onclick={() => enter('0')}>0</button>
    <button class="button min-h-14! justify-center" aria-label="Take the last digit back" onclick={back}
      ><Delete size={22} /></button
    >
  </div>
</div>
