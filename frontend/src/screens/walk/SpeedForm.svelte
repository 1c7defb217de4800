<script lang="ts">
  import { Gauge } from '@lucide/svelte'
  import { api } from '../../lib/api'
  import type { InstrumentView, SpeedTestBody } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { newKey, timestamp } from '../../state/waiting.svelte'
  import Field from '../../parts/Field.svelte'

  /** A speed test at a spot: typed as read off another device, or run by iperf3 from this computer. */
  let { call, placeId, iperf3 }: { call: CallState; placeId: string; iperf3: InstrumentView | null } =
    $props()
  let down = $state('')
  let up = $state('')
  let latency = $state('')
  let over = $state<SpeedTestBody['over']>('wi-fi')
  let reach = $state<SpeedTestBody['reach']>('the internet')
  let host = $state('')
  const path = $derived({ params: { path: { call_id: call.id } } })
  const numbers = (text: string) =>
    text
      .replaceAll(',', '.')
      .split(/[\s;/]+/)
      .filter(Boolean)
      .map(Number)
  const fits = $derived(
    numbers(down).length > 0 && [down, up, latency].every((t) => numbers(t).every((v) => v >= 0)),
  )

  async function keep(event: SubmitEvent) {
    event.preventDefault()
    const body = {
      key: newKey(),
      place_id: placeId,
      tested_at: timestamp(),
      down_mbps: numbers(down),
      up_mbps: numbers(up),
      latency_ms: numbers(latency),
      over,
      reach,
      note: '',
    }
    if (
      await call.change(() => api.POST('/api/calls/{call_id}/speed-tests', { ...path, body }), 'a speed test')
    ) {
      down = ''
      up = ''
      latency = ''
    }
  }
</script>

<form class="grid gap-2" onsubmit={keep}>
  <div class="grid grid-cols-3 gap-2">
    <label class="grid min-w-0 text-sm text-soft"
      >Down, Mb/s<input
        class="field w-full min-w-0 text-lg text-ink"
        inputmode="decimal"
        bind:value={down}
        placeholder="41 38 44"
      /></label
    >
    <label class="grid min-w-0 text-sm text-soft"
      >Up, Mb/s<input
        class="field w-full min-w-0 text-lg text-ink"
        inputmode="decimal"
        bind:value={up}
      /></label
    >
    <label class="grid min-w-0 text-sm text-soft"
      >Latency, ms<input
        class="field w-full min-w-0 text-lg text-ink"
        inputmode="decimal"
        bind:value={latency}
      /></label
    >
  </div>
  <div class="flex flex-wrap items-end gap-2">
    <Field label="Over"
      ><select class="field text-base text-ink" bind:value={over}>
        <option value="wi-fi">Wi-Fi</option>
        <option value="cable">cable</option>
      </select></Field
    >
    <Field label="To"
      ><select class="field text-base text-ink" bind:value={reach}>
        <option value="the internet">the internet</option>
        <option value="this computer">a computer in the house</option>
      </select></Field
    >
    <button class="button main grow justify-center" disabled={!fits || !placeId}
      ><Gauge size={18} />Keep the speed test</button
    >
  </div>
  <p class="text-sm text-soft">
    One value for each run, with spaces between them. Three runs or more show the spread.
  </p>
</form>
{#if iperf3 && !call.practice}
  <form
    class="mt-3 flex flex-wrap items-end gap-2 border-t border-(--rule) pt-3"
    onsubmit={(e) => {
      e.preventDefault()
      void call.runIperf3(placeId, host, over)
    }}
  >
    {#if iperf3.available}
      <Field label="iperf3 from here to" grow
        ><input
          class="field text-base text-ink"
          bind:value={host}
          placeholder="192.168.1.20"
          required
        /></Field
      >
      <button class="button" disabled={call.busy || !placeId}>Run iperf3</button>
    {:else}
      <p class="text-sm text-soft">{iperf3.why_not}: {iperf3.what_to_do}.</p>
    {/if}
  </form>
{/if}
