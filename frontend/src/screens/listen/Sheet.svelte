<script lang="ts">
  import LevelMark from '../../draw/LevelMark.svelte'
  import SheetHead from '../../draw/SheetHead.svelte'
  import StripCell from '../../draw/StripCell.svelte'
  import { percent, plural, when } from '../../lib/format'
  import { rules } from '../../state/rules.svelte'
  import type { BandSheet, ZigbeeSlot } from '../../lib/types'

  let { sheet, zigbee }: { sheet: BandSheet; zigbee: ZigbeeSlot[] } = $props()
  const slots = $derived(sheet.band === '2.4 GHz' ? zigbee : [])
  /** The loudest come first; the others are shown on request, and counted all the same. */
  const FIRST = 18
  let all = $state(false)
  const shown = $derived(all ? sheet.strips : sheet.strips.slice(0, FIRST))
  const hub = $derived(slots.find((s) => s.in_use))
</script>

<section class="page mb-4" aria-label="{sheet.band} sheet">
  <div class="mb-1 flex flex-wrap items-baseline gap-x-3">
    <h2>{sheet.band}</h2>
    <p class="text-sm text-soft">
      {#if sheet.heard_at}{plural(sheet.strips.length, 'network')}, {when(sheet.heard_at)}, {sheet.source}{:else}not
        listened to at this place{/if}
    </p>
  </div>
  {#if sheet.heard_at}
    <table class="ledger table-fixed text-sm max-sm:block">
      <colgroup class="max-sm:hidden">
        <col class="w-36" /><col /><col class="w-44" /><col class="w-16" /><col class="w-20" /><col
          class="w-26"
        />
      </colgroup>
      <thead class="max-sm:block">
        <tr class="max-sm:block">
          <th class="relative w-38 border-0! align-top! text-xs! font-normal! max-sm:hidden">
            <span class="absolute top-1 right-2">busy airtime, %</span>
            <span class="absolute top-13 right-2">channel</span>
            {#if slots.length}<span class="absolute top-22 right-2"
                >Zigbee{hub ? `, hub on ${hub.channel}` : ''}</span
              >{/if}
          </th>
          <td class="border-0! p-0! max-sm:block"><SheetHead {sheet} {slots} /></td>
          <td colspan="4" class="border-0! align-bottom! text-xs text-soft max-sm:block">
            {#if slots.length}Cross: not every Zigbee device would deliver {percent(
                rules.offered.wanted_delivery,
              )} there.{/if}
            {#if sheet.channels.some((c) => c.dfs)}Dashed: radar detection required.{/if}
            {#if sheet.channels.some((c) => !c.lawful)}Hatched: closed by law.{/if}
          </td>
        </tr>
        <tr class="max-sm:sr-only">
          <th>Network</th>
          <th class="p-0!">{sheet.low_mhz} to {sheet.high_mhz} MHz, to scale</th>
          <th class="w-40">Level, longer is stronger</th>
          <th class="number w-16">Busy</th>
          <th class="number w-24">Channel</th>
          <th class="w-24">Kind</th>
        </tr>
      </thead>
      <tbody class="max-sm:block">
        {#each shown as strip (strip.reading.bssid)}
          {@const r = strip.reading}
          <tr
            class="max-sm:grid max-sm:grid-cols-[1fr_auto] max-sm:border-b max-sm:border-(--rule) max-sm:py-1"
            data-bssid={r.bssid}
          >
            <td class="truncate max-sm:border-0!" title={r.bssid}>
              {#if strip.own_radio_id}<strong class="text-accent">own</strong>
                <strong>{strip.own_radio_id}</strong>{:else}
                <span title={r.ssid}>{r.ssid || 'hidden'}</span>{/if}
            </td>
            <td class="p-0! max-sm:order-last max-sm:col-span-2 max-sm:border-0!"
              ><StripCell {sheet} {strip} /></td
            >
            <td class="max-sm:border-0!"
              ><LevelMark rssiDbm={r.rssi_dbm} word={strip.strength} spreadDb={r.spread_db} /></td
            >
            <td class="number max-sm:hidden"
              >{r.channel_use_fraction === null ? '–' : percent(r.channel_use_fraction)}</td
            >
            <td class="number max-sm:hidden">{r.channel} <span class="text-soft">/ {r.width_mhz}</span></td>
            <td class="text-xs leading-tight text-soft max-sm:hidden"
              >{r.generation?.replace('802.11', '11') ?? '–'}<br />{r.security}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
    {#if shown.length < sheet.strips.length}
      <button class="button mt-2" onclick={() => (all = true)}
        >The {sheet.strips.length - shown.length} weaker ones too</button
      >
    {/if}
  {/if}
</section>
