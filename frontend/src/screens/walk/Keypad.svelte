<script lang="ts">
  import { Delete } from '@lucide/svelte'
  import { typing } from '../../lib/keys'
  import type { Radio } from '../../lib/types'

  let {
    radios,
    typed = $bindable(),
  }: { radios: (Radio & { node: string })[]; typed: Record<string, string> } = $props()
  let bssid = $state('')
  $effect(() => {
    if (!radios.some((r) => r.bssid === bssid)) bssid = radios[0]?.bssid ?? ''
  })
  const value = $derived(typed[bssid] ?? '')

  /** Levels of two or three digits; a further one begins by itself, so that several can be typed in a row. */
  function press(digit: string) {
    const parts = value ? value.split(' ') : ['']
    const last = parts[parts.length - 1]!
    if (last.length >= 2 && !(last.startsWith('1') && last.length === 2)) parts.push(digit)
    else parts[parts.length - 1] = last + digit
    typed = { ...typed, [bssid]: parts.join(' ') }
  }
  const back = () => (typed = { ...typed, [bssid]: value.slice(0, -1).trimEnd() })
  function key(event: KeyboardEvent) {
    if (typing(event) || event.ctrlKey || event.metaKey || event.altKey) return
    if (/^\d$/.test(event.key)) {
      event.preventDefault()
      event.stopPropagation()
      press(event.key)
    } else if (event.key === 'Backspace') back()
  }
</script>

<svelte:window onkeydowncapture={key} />
<div>
  <label class="mb-2 flex items-center gap-2 text-sm text-soft"
    >Radio
    <select class="field grow text-base text-ink" bind:value={bssid} onchange={(e) => e.currentTarget.blur()}>
      {#each radios as r (r.bssid)}<option value={r.bssid}
          >{r.node}, {r.band}{typed[r.bssid] ? ` (${typed[r.bssid]!.split(' ').length})` : ''}</option
        >{/each}
    </select></label
  >
  <output class="figure block min-h-14 text-center text-5xl" aria-label="Typed levels in dBm"
    >{value
      ? value
          .split(' ')
          .map((v) => `−${v}`)
          .join('  ')
      : '−'}</output
  >
  <div class="grid grid-cols-3 gap-2">
    {#each ['7', '8', '9', '4', '5', '6', '1', '2', '3'] as digit (digit)}
      <button class="button min-h-14! justify-center text-2xl" onclick={() => press(digit)}>{digit}</button>
    {/each}
    <span class="self-center text-center text-sm text-soft">dBm, less than zero</span>
    <button class="button min-h-14! justify-center text-2xl" onclick={() => press('0')}>0</button>
    <button class="button min-h-14! justify-center" aria-label="Take the last digit back" onclick={back}
      ><Delete size={22} /></button
    >
  </div>
</div>
