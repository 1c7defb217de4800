<script lang="ts">
  import { api } from '../../lib/api'
  import { mbps, prose } from '../../lib/format'
  import type { LinkView } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { timestamp } from '../../state/waiting.svelte'

  let { call, link }: { call: CallState; link: LinkView | null } = $props()
  const gateway = $derived(call.job.nodes.find((n) => !n.uplink)?.place_id ?? call.job.places[0]?.id ?? '')
  let wiredDown = $state<number | null>(null)
  let wiredUp = $state<number | null>(null)
  let paidDown = $state<number | null>(null)
  let paidUp = $state<number | null>(null)
  const nameOf = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id

  async function write(event: SubmitEvent) {
    event.preventDefault()
    const body = {
      place_id: gateway,
      tested_at: timestamp(),
      down_mbps: wiredDown === null ? [] : [wiredDown],
      up_mbps: wiredUp === null ? [] : [wiredUp],
      subscription: paidDown === null ? null : { down_mbps: paidDown, up_mbps: paidUp ?? 0 },
    }
    const path = { params: { path: { call_id: call.id } } }
    if (
      await call.change(() => api.POST('/api/calls/{call_id}/wired', { ...path, body }), 'the wired figure')
    ) {
      wiredDown = wiredUp = paidDown = paidUp = null
    }
  }
</script>

<section class="page grid gap-2" aria-label="Line or Wi-Fi">
  <h2>Line or Wi-Fi?</h2>
  {#if link}
    {@const v = link.verdict}
    <p class={v.line === 'the line' ? 'font-semibold text-accent' : 'font-semibold'}>{prose(v.text)}</p>
    <ul class="grid gap-1 text-sm">
      {#each v.rooms as room (room.place_id)}
        <li>
          <strong>{nameOf(room.place_id)}</strong>
          <span class={room.narrow === 'the Wi-Fi' ? 'text-accent' : 'text-soft'}>{prose(room.text)}</span>
        </li>
      {/each}
    </ul>
    {#if v.cameras.length}
      <h3>Cameras, by upload</h3>
      <ul class="grid gap-1 text-sm">
        {#each v.cameras as c (c.device_id)}
          <li>
            <strong>{c.name}</strong>, {nameOf(c.place_id)}:
            <span class={c.state === 'too slow' ? 'font-semibold text-accent' : ''}>{c.state}</span>
            <span class="text-soft">{prose(c.text)}</span>
          </li>
        {/each}
      </ul>
    {/if}
  {/if}
  <form class="grid grid-cols-[auto_1fr_1fr] items-center gap-1 text-sm" onsubmit={write}>
    <span></span><span class="text-soft">down, Mb/s</span><span class="text-soft">up, Mb/s</span>
    <span>By cable</span>
    <input
      class="field slim min-w-0"
      type="number"
      min="0"
      max="10000"
      step="any"
      aria-label="By cable at the gateway, down, Mb/s"
      placeholder={link?.verdict.wired_down_mbps ? mbps(link.verdict.wired_down_mbps.median) : ''}
      bind:value={wiredDown}
    />
    <input
      class="field slim min-w-0"
      type="number"
      min="0"
      max="10000"
      step="any"
      aria-label="By cable at the gateway, up, Mb/s"
      placeholder={link?.verdict.wired_up_mbps ? mbps(link.verdict.wired_up_mbps.median) : ''}
      bind:value={wiredUp}
    />
    <span>Promised</span>
    <input
      class="field slim min-w-0"
      type="number"
      min="0"
      max="10000"
      step="any"
      aria-label="Subscription, down, Mb/s"
      placeholder={link?.verdict.paid_down_mbps ? mbps(link.verdict.paid_down_mbps) : ''}
      bind:value={paidDown}
    />
    <input
      class="field slim min-w-0"
      type="number"
      min="0"
      max="10000"
      step="any"
      aria-label="Subscription, up, Mb/s"
      placeholder={link?.verdict.paid_up_mbps ? mbps(link.verdict.paid_up_mbps) : ''}
      bind:value={paidUp}
    />
    <span></span><button class="button slim col-span-2 justify-center">Write down</button>
  </form>
</section>
