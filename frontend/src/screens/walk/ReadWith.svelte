<script lang="ts">
  import { api } from '../../lib/api'
  import { db, fixed } from '../../lib/format'
  import type { CallState } from '../../state/call.svelte'
  import type { WalkState } from '../../state/walk.svelte'

  let { call, walk }: { call: CallState; walk: WalkState } = $props()
  let adding = $state(false)
  let name = $state('')
  const instruments = $derived(call.job.instruments ?? [])
  const chosen = $derived(instruments.find((i) => i.id === walk.instrumentId) ?? null)

  function choose(value: string) {
    adding = value === '+'
    if (!adding) walk.instrumentId = value
  }
  async function add(event: SubmitEvent) {
    event.preventDefault()
    if (await call.add('instruments', { name }, `added ${name}`)) {
      walk.instrumentId = instruments.at(-1)?.id ?? ''
      adding = false
      name = ''
    }
  }
  const compare = () =>
    call.change(
      () =>
        api.POST('/api/calls/{call_id}/instruments/{instrument_id}/offset', {
          params: {
            path: { call_id: call.id, instrument_id: walk.instrumentId },
            query: { place_id: walk.placeId },
          },
        }),
      `${chosen?.name} compared here`,
    )
</script>

<div class="grid gap-2 text-sm">
  <div class="flex flex-wrap items-center gap-2">
    <label class="flex grow items-center gap-2 text-soft"
      >Read with
      <select
        class="field slim grow text-ink"
        value={adding ? '+' : walk.instrumentId}
        onchange={(e) => choose(e.currentTarget.value)}
      >
        <option value="">{call.practice ? 'the scanner' : 'the device that others are compared with'}</option>
        {#each instruments as i (i.id)}<option value={i.id}>{i.name}</option>{/each}
        <option value="+">another phone…</option>
      </select></label
    >
    {#if chosen}
      <span class="text-soft"
        >{chosen.place_id
          ? `reads ${db(chosen.offset_db, 1)} ±${fixed(chosen.spread_db, 1)} beside it`
          : 'not compared yet'}</span
      >
      <button class="button slim" onclick={compare}>Compare here</button>
    {/if}
  </div>
  {#if adding}
    <form class="flex gap-2" onsubmit={add}>
      <input
        class="field slim grow"
        placeholder="whose phone"
        aria-label="Whose phone"
        required
        maxlength="60"
        bind:value={name}
      />
      <button class="button slim main">Add</button>
    </form>
  {/if}
  <label class="flex items-center gap-2 text-soft"
    >Meanwhile
    <input
      class="field slim grow text-ink"
      placeholder="what else runs: film, oven, nothing"
      maxlength="200"
      bind:value={walk.running}
    /></label
  >
</div>
