<script lang="ts">
  import { rules } from '../../state/rules.svelte'
  import { api, ask } from '../../lib/api'
  import { dbm, delivery, percent } from '../../lib/format'
  import type { ZigbeeReasons } from '../../lib/types'
  import ZigbeeHelp from './ZigbeeHelp.svelte'
  import { notices } from '../../state/notices.svelte'
  import type { CallState } from '../../state/call.svelte'
  import Picker from '../../parts/Picker.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  let { state: call }: { state: CallState } = $props()
  const zigbee = $derived(call.job.zigbee!)
  const shown = $derived(call.trialFigures ?? call.now!)
  const name = (id: string) =>
    id === 'hub'
      ? 'Hub'
      : id === 'border'
        ? 'Border router'
        : ([...zigbee.devices, ...(call.job.thread?.devices ?? [])].find((d) => d.id === id)?.name ?? id)
  let asked = $state<string | null>(null)
  let hops = $state<ZigbeeReasons[]>([])

  $effect(() => {
    if (!asked) return
    const body = { settings: call.settings, device_id: asked }
    const controller = new AbortController()
    ask(
      api.POST('/api/calls/{call_id}/reasons/zigbee', {
        params: { path: { call_id: call.id } },
        body,
        signal: controller.signal,
      }),
    )
      .then((answer) => (hops = answer))
      .catch((error) => error.name !== 'AbortError' && notices.fail(error))
    return () => controller.abort()
  })
  const changed = $derived(call.settings.zigbee_channel !== call.job.settings.zigbee_channel)
</script>

<article class="page" aria-label="Zigbee" class:border-l-8={changed} class:border-l-(--accent)={changed}>
  <div class="mb-2 flex flex-wrap items-end gap-4">
    <h3 class="grow">Zigbee</h3>
    <label class="grid text-xs text-soft"
      >Channel
      <Picker
        class="field slim text-base text-ink"
        value={call.settings.zigbee_channel}
        disabled={zigbee.selectable_channels.length < 2}
        onchange={(e) => call.try({ ...call.settings, zigbee_channel: Number(e.currentTarget.value) })}
        options={zigbee.selectable_channels}
      />
    </label>
    {#if changed}<p class="text-sm text-soft">now: channel {call.job.settings.zigbee_channel}</p>{/if}
  </div>
  <ul class="grid gap-x-6 sm:grid-cols-2 lg:grid-cols-3">
    {#each shown.zigbee as z (z.device_id)}
      <li class="flex items-baseline gap-2 border-b border-(--rule) py-1">
        <span class="figure w-16 text-right" class:text-accent={rules.short(z.delivery)}
          >{delivery(z.delivery)}</span
        >
        <span class="grow truncate">{name(z.device_id)}</span>
        <button
          class="text-sm underline underline-offset-4"
          aria-expanded={asked === z.device_id}
          onclick={() => (asked = asked === z.device_id ? null : z.device_id)}>Why?</button
        >
      </li>
    {/each}
  </ul>
  {#if asked && hops.length}
    <div class="mt-3 overflow-x-auto border-t border-(--rule) pt-2 text-sm">
      <h3>{name(asked)}: the hops it can use</h3>
      <Ledger class="" heads={['Through', ['Level', 'figure'], ['This hop', 'figure'], 'What spoils it']}>
        {#each hops as hop (hop.via_id)}
          <tr>
            <td>{name(hop.via_id)}</td>
            <td class="number">{dbm(hop.rssi_dbm)}</td>
            <td class="number">{delivery(hop.hop_delivery)}</td>
            <td>
              {#each hop.interferers.slice(0, 4) as i (i.id)}
                <span class="mr-3 inline-block"
                  ><strong>{i.name}</strong>{i.own ? ' (own)' : ''}: spoils {percent(i.spoilt_fraction, 1)} of the
                  tries, makes it wait {percent(i.waiting_fraction, 1)} of the time</span
                >
              {:else}nothing above the noise{/each}
            </td>
          </tr>
        {/each}
      </Ledger>
      <p class="mt-1 text-soft">
        Shares of single attempts; three retries follow. Delivered over the best route: {delivery(
          hops[0]?.delivery,
        )}.
      </p>
    </div>
  {/if}
  <ZigbeeHelp state={call} />
</article>
