<script lang="ts">
  import { Ear } from '@lucide/svelte'
  import { onMount } from 'svelte'
  import { api, ask } from '../../lib/api'
  import { counted, db, dbm, fixed, plural } from '../../lib/format'
  import type { LiveView } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'

  let { call, placeId, nameOf }: { call: CallState; placeId: string; nameOf: (id: string) => string } =
    $props()
  /** While nothing is captured, and while something is. */
  const LOOK_EVERY_MS = 900
  const ASK_EVERY_MS = 300
  const SHOWN_NEIGHBOURS = 6

  let live = $state.raw<LiveView | null>(null)
  const capture = $derived(live?.going_on ? live.capture : null)
  const radioOf = (bssid: string) => {
    for (const node of call.job.nodes)
      for (const radio of node.radios) if (radio.bssid === bssid) return node.name
    return null
  }
  const heard = $derived((capture?.networks ?? []).map((n) => ({ ...n, own: radioOf(n.bssid) })))
  const own = $derived(heard.filter((n) => n.own))
  const neighbours = $derived(heard.filter((n) => !n.own).slice(0, SHOWN_NEIGHBOURS))

  onMount(() => {
    let timer = 0
    let gone = false
    const look = async () => {
      try {
        const found = await ask(
          api.GET('/api/calls/{call_id}/live', { params: { path: { call_id: call.id } } }),
        )
        // The program that listens keeps its scan itself: the call is fetched once it has ended.
        if (live?.going_on && !found.going_on) void call.reload()
        live = found
      } catch {
        live = null
      }
      if (!gone) timer = window.setTimeout(look, live?.going_on ? ASK_EVERY_MS : LOOK_EVERY_MS)
    }
    void look()
    return () => {
      gone = true
      window.clearTimeout(timer)
    }
  })
</script>

{#if capture}
  <section
    class="grid grid-cols-[minmax(0,1fr)] gap-1 rounded border-2 border-accent px-3 py-2"
    aria-label="Live capture"
  >
    <p class="flex flex-wrap items-baseline gap-x-2">
      <Ear size={18} class="self-center text-accent" />
      <strong>Live capture at {nameOf(capture.place_id)}</strong>
      <span class="figure">{fixed(capture.seconds)} s</span>
      <span class="text-soft"
        >{counted(capture.frames)} frames, {plural(capture.heard_networks, 'network')}</span
      >
    </p>
    {#if capture.place_id !== placeId}<p class="font-semibold text-accent">
        It goes to {nameOf(capture.place_id)}, not to the spot that is chosen here.
      </p>{/if}
    <table class="ledger" aria-label="Levels of the live capture">
      <thead
        ><tr
          ><th>Heard</th><th class="number">Channel</th><th class="number">Level</th><th
            class="number max-sm:hidden">Frames</th
          ></tr
        ></thead
      >
      <tbody>
        {#each [...own, ...neighbours] as n (n.bssid)}
          <tr
            ><td class={n.own ? 'font-semibold' : ''}>{n.own ?? (n.ssid || 'hidden')}</td><td class="number"
              >{n.band} {n.channel}</td
            ><td class="number figure whitespace-nowrap"
              >{n.level_dbm === null ? 'not known' : dbm(n.level_dbm)}
              {#if n.spread_db}<span class="text-sm font-normal text-soft">±{db(n.spread_db)}</span>{/if}</td
            ><td class="number max-sm:hidden">{counted(n.frames)}</td></tr
          >
        {/each}
      </tbody>
    </table>
    {#if !own.length}<p class="text-sm text-soft">
        No own radio heard yet: its address under Kit must be the one that it broadcasts.
      </p>{/if}
    <p class="text-sm text-soft">Captured live. Ctrl-C where it runs keeps it as a scan of this spot.</p>
  </section>
{/if}
