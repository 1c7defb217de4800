<script lang="ts">
  import { ArrowRight, Check, Keyboard, Square } from '@lucide/svelte'
  import { api, ask } from '../../lib/api'
  import { db, dbm, plural } from '../../lib/format'
  import { onKeys } from '../../lib/keys'
  import type { Round, SampleView } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { newKey, waiting } from '../../state/waiting.svelte'
  import Keypad from './Keypad.svelte'

  let { state: call }: { state: CallState } = $props()

  const SAMPLE_MS = 700
  let placeId = $state('')
  let round = $state<Round | null>(null)
  let roundNote = $state('')
  let sampled = $state<SampleView | null>(null)
  let reading = $state(false)
  let typing = $state(false)
  let typed = $state<Record<string, string>>({})
  let lost = $state(false)

  const path = $derived({ params: { path: { call_id: call.id } } })
  const place = $derived(call.job.places.find((p) => p.id === placeId))
  const stop = $derived(round?.stops.find((s) => s.place_id === placeId) ?? null)
  const next = $derived(round?.stops.find((s) => s.place_id !== placeId) ?? null)
  const nameOf = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id
  const settled = $derived(!!sampled?.settled)
  const best = $derived(
    [...(sampled?.gaps ?? [])].filter((g) => g.own_dbm !== null).sort((a, b) => b.own_dbm! - a.own_dbm!)[0] ??
      null,
  )
  const radioOf = (bssid: string) => call.job.nodes.flatMap((n) => n.radios).find((r) => r.bssid === bssid)
  const held = $derived(
    [...(sampled?.settling ?? [])]
      .map((s) => ({ ...s, radio: radioOf(s.bssid) }))
      .sort((a, b) => b.median_dbm - a.median_dbm),
  )
  const count = $derived(call.job.listens.filter((l) => l.place_id === placeId).length)
  const spotNote = $derived(
    [
      place?.x_m != null ? `hold it ${(place.height_m ?? 1.2).toFixed(1)} m above the floor` : '',
      count ? `${plural(count, 'listening')} here so far` : 'nothing read here yet',
      stop?.reason ?? '',
    ]
      .filter(Boolean)
      .join('; '),
  )
  const queue = $derived(waiting.of(call.id))

  $effect(() => {
    void call.call.revision
    const from = placeId || undefined
    ask(
      api.GET('/api/calls/{call_id}/round', {
        params: { ...path.params, query: from ? { from_place_id: from } : {} },
      }),
    )
      .then((found) => {
        round = found
        roundNote = ''
        if (!placeId) placeId = found.stops[0]?.place_id ?? call.job.places[0]?.id ?? ''
      })
      .catch((error) => {
        if (error.body?.field !== 'connection') roundNote = error.message
        if (!placeId) placeId = call.job.places[0]?.id ?? ''
      })
  })
  $effect(() => {
    void waiting.send((c) => c.id === call.id && call.take(c))
  })

  function go(id: string | undefined) {
    if (!id) return
    reading = false
    sampled = null
    typed = {}
    placeId = id
  }
  async function read() {
    if (reading) {
      reading = false
      return
    }
    reading = true
    typing = false
    sampled = null
    const at = placeId
    while (reading && placeId === at) {
      const began = performance.now()
      try {
        const body = { place_id: at, so_far: sampled?.series ?? [] }
        const found: SampleView = await ask(api.POST('/api/calls/{call_id}/walk/sample', { ...path, body }))
        lost = false
        if (placeId !== at || !reading) return
        sampled = found
        if (found.settled) reading = false
        if (found.series.some((s) => s.samples_dbm.length >= 40)) reading = false
      } catch {
        lost = true
        reading = false
        typing = true
      }
      await new Promise((r) => setTimeout(r, Math.max(50, SAMPLE_MS - (performance.now() - began))))
    }
  }
  /** The house's clock is the application's; offline the browser's own is all there is. */
  const now = () => new Date().toISOString().replace(/\.\d+Z$/, 'Z')

  async function keep() {
    const series = typing
      ? Object.entries(typed)
          .filter(([, v]) => v)
          .map(([bssid, v]) => ({ bssid, samples_dbm: v.split(' ').map((x) => -Number(x)) }))
      : (sampled?.series ?? [])
    if (!canKeep) return
    reading = false
    const source = typing ? 'typed' : 'scanner'
    const body = {
      key: newKey(),
      place_id: placeId,
      heard_at: now(),
      series,
      source,
      instrument_id: null,
      running: '',
    }
    const to = next?.place_id
    sampled = null
    typed = {}
    await waiting.add(call.id, body, (c) => c.id === call.id && call.take(c))
    if (to) go(to)
  }
  const step = (by: number) => {
    const ids = call.job.places.map((p) => p.id)
    go(ids[(ids.indexOf(placeId) + by + ids.length) % ids.length])
  }
  const keys = onKeys({
    ' ': () => void read(),
    enter: () => void keep(),
    n: () => go(next?.place_id),
    t: () => (typing = !typing),
    arrowright: () => step(1),
    arrowleft: () => step(-1),
  })
  /** A level has two digits at least: one digit is a level that is still being typed. */
  const whole = (levels: string) => levels.split(' ').every((v) => v.length >= 2)
  const given = $derived(Object.values(typed).filter((v) => v))
  const canKeep = $derived(typing ? given.length > 0 && given.every(whole) : !!sampled?.series.length)
</script>

<svelte:window onkeydown={keys} />
{#if call.job.places.length === 0}
  <p class="page">
    No places yet: <a class="underline" href="#/call/{call.id}/kit">write down the kit</a> first.
  </p>
{:else if call.job.nodes.length === 0}
  <p class="page">
    No node yet: <a class="underline" href="#/call/{call.id}/kit">write down the kit</a> first.
  </p>
{:else}
  <div class="mx-auto grid max-w-4xl gap-4 sm:grid-cols-[minmax(0,1fr)_19rem]">
    <section class="page grid content-start gap-3" aria-label="This spot">
      {#if queue.length}
        <p class="rounded border-2 border-accent px-3 py-2 font-semibold" role="status">
          {plural(queue.length, 'reading')}
          {queue.length === 1 ? 'waits' : 'wait'} in this browser{waiting.reached
            ? ''
            : ': no connection. Go on, they arrive by themselves'}.
        </p>
      {/if}
      {#if waiting.refused}<p class="font-semibold text-accent" role="alert">{waiting.refused}</p>{/if}
      <div class="flex items-baseline gap-2">
        <select
          class="field grow text-2xl font-bold"
          aria-label="Spot"
          value={placeId}
          onchange={(e) => go(e.currentTarget.value)}
        >
          {#each call.job.places as p (p.id)}<option value={p.id}>{p.name}</option>{/each}
        </select>
      </div>
      <p class="-mt-2 text-soft">
        {spotNote}
      </p>
      {#if typing}
        <Keypad
          radios={call.job.nodes.flatMap((n) => n.radios.map((r) => ({ ...r, node: n.name })))}
          bind:typed
        />
      {:else}
        <div class="text-center" aria-live="polite">
          <div class="figure text-8xl leading-none" data-figure="level">
            {best?.own_dbm != null ? dbm(held[0]?.median_dbm).replace(' dBm', '') : '–'}
          </div>
          <div class="text-lg text-soft">
            {#if !sampled}dBm{:else if settled}dBm, settled{:else}dBm, settling: {held[0]?.count ?? 0} levels{/if}
          </div>
        </div>
        {#if lost}<p class="text-center font-semibold text-accent">
            No connection: type the level that the phone shows instead.
          </p>{/if}
        {#if sampled}
          <table class="ledger" aria-label="Own level and rivals">
            <thead
              ><tr
                ><th>Band</th><th class="number">Own</th><th class="number">Strongest rival</th><th
                  class="number">Gap</th
                ></tr
              ></thead
            >
            <tbody>
              {#each sampled.gaps as gap (gap.band)}
                {@const own = held.find((h) => h.radio?.id === gap.radio_id)}
                <tr
                  ><td class="whitespace-nowrap"
                    >{gap.band}<br /><span class="text-sm text-soft">{gap.radio_id ?? 'not heard'}</span></td
                  >
                  <td class="number figure"
                    >{dbm(own?.median_dbm)}<br /><span class="text-sm font-normal text-soft"
                      >±{own?.error_db.toFixed(1)} of {own?.count}</span
                    ></td
                  ><td class="number">{gap.rival_dbm === null ? 'none' : dbm(gap.rival_dbm)}</td><td
                    class="number figure"
                    class:text-accent={gap.gap_db !== null && !gap.clear}
                    >{gap.gap_db === null ? '–' : db(gap.gap_db)}</td
                  ></tr
                >
              {/each}
            </tbody>
          </table>
        {/if}
      {/if}
      <div class="grid grid-cols-2 gap-2 max-sm:sticky max-sm:bottom-2">
        <button class="button min-h-16! justify-center text-lg" class:main={!canKeep} onclick={read}
          >{#if reading}<Square size={20} />Stop{:else}Read{/if} <kbd>Space</kbd></button
        >
        <button
          class="button min-h-16! justify-center text-lg"
          class:main={canKeep}
          disabled={!canKeep}
          onclick={keep}><Check size={20} />Keep{next ? ', next' : ''} <kbd>Enter</kbd></button
        >
        <button class="button justify-center" onclick={() => (typing = !typing)}
          ><Keyboard size={18} />{typing ? 'Scanner' : 'Type it'} <kbd>T</kbd></button
        >
        <button class="button justify-center" disabled={!next} onclick={() => go(next?.place_id)}
          ><ArrowRight size={18} />{next ? 'Skip' : 'Last spot'} <kbd>N</kbd></button
        >
      </div>
    </section>
    <section class="page content-start" aria-label="The round">
      <h2 class="mb-2">The round</h2>
      {#if roundNote}<p class="text-sm text-soft">{roundNote}</p>{/if}
      {#if round}
        <p class="mb-2 text-sm text-soft">
          Levels are known to ±{round.house_db.toFixed(1)} dB over the house. {round.stops.length
            ? `${plural(round.stops.length, 'stop')}, ${round.way_m.toFixed(0)} m of way.`
            : 'No further spot would teach much.'}
        </p>
        <ol class="grid gap-1">
          {#each round.stops as s, i (s.place_id)}
            <li>
              <button
                class="w-full rounded border px-3 py-2 text-left {s.place_id === placeId
                  ? 'border-accent'
                  : 'border-(--rule)'}"
                onclick={() => go(s.place_id)}
              >
                <span class="figure mr-1">{i + 1}</span><strong>{nameOf(s.place_id)}</strong>
                <span class="text-sm text-soft"
                  >{s.walk_m ? `${s.walk_m.toFixed(0)} m` : 'here'}{s.measured ? ', once more' : ''}</span
                >
                <br /><span class="text-sm text-soft">{s.reason}</span>
              </button>
            </li>
          {/each}
        </ol>
      {/if}
    </section>
  </div>
{/if}
