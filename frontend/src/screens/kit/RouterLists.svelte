<script lang="ts">
  import { ClipboardPaste, FileUp, Router, X } from '@lucide/svelte'
  import { api, ask, sendFile } from '../../lib/api'
  import { dbm, fixed, headroom, percent, plural, sentence, when } from '../../lib/format'
  import type { Call, ListsView, TrafficView } from '../../lib/types'
  import FileDrop from '../../parts/FileDrop.svelte'
  import Ledger from '../../parts/Ledger.svelte'
  import { notices } from '../../state/notices.svelte'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'

  /** What the router's and the hub's own pages list: pasted or from a file, kept as measured. */
  let { state: call }: { state: CallState } = $props()
  let text = $state('')
  const path = $derived({ params: { path: { call_id: call.id } } })
  const listed = $derived(call.job.client_list ?? [])
  const holds = $derived(listed.length > 0 || (call.job.channel_uses ?? []).length > 0)
  const kept = new Resource<ListsView | null>((signal) => {
    void call.call.revision
    return holds
      ? ask(api.GET('/api/calls/{call_id}/router-lists', { ...path, signal }))
      : Promise.resolve(null)
  })
  const lists = $derived(kept.value)
  const answer = new Resource<TrafficView | null>((signal) => {
    void call.call.revision
    if (!listed.some((c) => c.down_mb != null || c.up_mb != null)) return Promise.resolve(null)
    return ask(
      api.POST('/api/calls/{call_id}/traffic', {
        ...path,
        body: { settings: call.job.settings, stands: [] },
        signal,
      }),
    )
  })
  const traffic = $derived(answer.value)
  const nameOf = (id: string) => call.job.devices.find((d) => d.id === id)?.name ?? id
  const mbps = (value: number) => fixed(value, value < 10 ? 2 : 0)

  async function read(content: string, name: string) {
    try {
      const file = new File([content], name, { type: 'text/csv' })
      call.take(await sendFile<Call>(`/api/calls/${call.id}/router-lists`, file, () => {}))
      notices.say(call.call.undo ? `${sentence(call.call.undo)}.` : `Read ${name}.`)
      text = ''
    } catch (error) {
      notices.fail(error)
    }
  }
  async function paste(event: SubmitEvent) {
    event.preventDefault()
    await read(text, 'pasted list')
  }
  const askRouter = () =>
    call.change(() => api.POST('/api/calls/{call_id}/practice-router', path), 'asked the router')
  const forget = () =>
    call.change(() => api.DELETE('/api/calls/{call_id}/router-lists', path), "removed the router's lists")
  const takeDemand = (device_ids: string[]) =>
    call.change(
      () => api.POST('/api/calls/{call_id}/traffic/demand', { ...path, body: { device_ids } }),
      'measured traffic as demand',
    )
</script>

<section class="page" aria-label="What the router lists">
  <h2>What the router lists</h2>
  <p class="mb-2 text-sm text-soft">
    The router’s list of clients says which device is on which radio and how well it is heard there; its
    counters say what each one really carries. Both make the plan surer. Paste a table with its header line,
    or drop it as a file: a client list (<code class="[overflow-wrap:anywhere]"
      >device,radio,level_dbm,down_rate_mbps,down_mb,up_mb,over_h</code
    >), channel use by hour (<code class="[overflow-wrap:anywhere]">radio,time,busy_percent</code>) or the
    hub’s log (<code class="[overflow-wrap:anywhere]">device,sent,delivered</code>).
  </p>
  <form class="grid gap-2" onsubmit={paste}>
    <textarea
      class="field font-mono text-sm"
      rows="4"
      aria-label="Client list, channel use or hub’s log"
      bind:value={text}
      placeholder="device,radio,level_dbm,down_mb,up_mb,over_h"></textarea>
    <div class="flex flex-wrap gap-2">
      <button class="button" disabled={!text.trim() || call.busy}
        ><ClipboardPaste size={16} />Read the list</button
      >
      <FileDrop
        label="List of the router or hub"
        accept=".csv,.txt,.tsv"
        class="button"
        onfile={async (f) => read(await f.text(), f.name)}><FileUp size={16} />From a file</FileDrop
      >
      {#if call.practice}
        <button type="button" class="button" disabled={call.busy} onclick={askRouter}
          ><Router size={16} />Ask the router</button
        >
      {/if}
      {#if holds}
        <button type="button" class="button slim" disabled={call.busy} onclick={forget}
          ><X size={15} />Forget these lists</button
        >
      {/if}
    </div>
  </form>
  {#if lists?.clients.length}
    <Ledger
      label="Clients as the router lists them"
      class="mt-3 text-sm"
      heads={['Device', 'Connected to', ['Heard there at', 'figure']]}
    >
      {#each lists.clients as { seen, source, counts } (seen.device_id)}
        <tr
          ><td
            >{nameOf(seen.device_id)}<span class="block text-xs text-soft"
              >{source}, {when(seen.listed_at)}{counts
                ? ''
                : '; before the last change: no longer counted'}</span
            ></td
          ><td>{seen.radio_id ?? 'not listed'}</td><td class="number"
            >{seen.rssi_dbm == null ? '–' : dbm(seen.rssi_dbm)}{#if seen.down_rate_mbps != null}<span
                class="block text-xs text-soft">link rate {seen.down_rate_mbps} Mb/s</span
              >{/if}</td
          ></tr
        >
      {/each}
    </Ledger>
  {/if}
  {#if lists?.uses}
    <p class="mt-2 text-sm">
      Channel use as the radios show it: {plural(lists.uses, 'reading')}, {lists.uses_counting} of them since the
      last change{lists.fullest_fraction == null ? '' : `, the fullest ${percent(lists.fullest_fraction)}`}.
    </p>
  {/if}
  {#if traffic?.users.length}
    <h3 class="mt-4">Who carries what</h3>
    <p class="mb-2">{sentence(traffic.text)}.</p>
    <Ledger
      label="Who carries what"
      heads={['Device', ['Mb/s, busy hour', 'figure'], ['Its airtime', 'figure'], ['Without it', 'figure']]}
    >
      {#each traffic.users as user (user.carried.device_id)}
        <tr
          ><td
            >{nameOf(user.carried.device_id)}<span class="block text-xs text-soft"
              >{percent(user.carried.traffic_share)} of all traffic</span
            ><button
              class="button slim mt-1"
              disabled={call.busy}
              onclick={() => takeDemand([user.carried.device_id])}>Take as demand</button
            ></td
          ><td class="number"
            >{mbps(user.carried.busy_down_mbps)} ↓ {mbps(user.carried.busy_up_mbps)} ↑<span
              class="block text-xs text-soft"
              >in the kit: {mbps(user.said_down_mbps)} ↓ {mbps(user.said_up_mbps)} ↑</span
            ></td
          ><td class="number"
            >{user.airtime_fraction == null ? '–' : percent(user.airtime_fraction)}<span
              class="block text-xs text-soft">{user.radio_id ?? ''}</span
            ></td
          ><td class="number"
            >{user.problems_without == null ? '–' : plural(user.problems_without, 'problem')}<span
              class="block text-xs text-soft"
              >{user.headroom_without == null ? '' : headroom(user.headroom_without)}</span
            ></td
          ></tr
        >
      {/each}
    </Ledger>
    <p class="mt-2 flex flex-wrap items-center gap-3 text-sm text-soft">
      <button class="button" disabled={call.busy} onclick={() => takeDemand([])}>Take all as demand</button>
      {#if traffic.problems != null}With all of it as measured: {traffic.problems} problems, headroom {headroom(
          traffic.headroom,
        )}.{/if} Mb/s of the busiest hour, worked out from the counters by the usual course of a day.
    </p>
  {/if}
</section>
