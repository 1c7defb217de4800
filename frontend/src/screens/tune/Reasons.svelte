<script lang="ts">
  import Known from '../../parts/Known.svelte'
  import { api, ask } from '../../lib/api'
  import { db, dbm, fixed, headroom, mbps, milliseconds, percent } from '../../lib/format'
  import type { RadioReasons } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  let { state: call, radioId }: { state: CallState; radioId: string } = $props()
  const answer = new Resource<RadioReasons>((signal) => {
    const body = { settings: call.settings, radio_id: radioId }
    return ask(
      api.POST('/api/calls/{call_id}/reasons/radio', {
        params: { path: { call_id: call.id } },
        body,
        signal,
      }),
    )
  })
  const reasons = $derived(answer.value)

  const noticed = $derived(reasons?.interferers.filter((r) => r.effect !== 'unnoticed') ?? [])
  const signs = {
    'shares: decoded': 'takes turns',
    'shares: energy': 'takes turns, by energy',
    noise: 'noise',
    unnoticed: '',
  }
</script>

{#if reasons}
  <div class="mt-3 grid gap-4 border-t border-(--rule) pt-3 text-sm lg:grid-cols-2" data-reasons={radioId}>
    <section class="overflow-x-auto">
      <h3>What takes the air: {milliseconds(reasons.busy_fraction)} of each second</h3>
      <Ledger
        class=""
        heads={[
          'Network',
          ['Channel', 'figure'],
          ['Level', 'figure'],
          ['Inside', 'figure'],
          'Effect',
          ['Counted', 'figure'],
        ]}
      >
        {#each noticed as r (r.bssid)}
          <tr>
            <td class="max-w-36 truncate">{r.ssid || 'hidden'}</td>
            <td class="number">{r.channel}</td>
            <td class="number">{dbm(r.rssi_dbm)}</td>
            <td class="number" title="coupling {db(r.coupling_db, 1)}">{dbm(r.inside_dbm)}</td>
            <td>{signs[r.effect]}</td>
            <td class="number"
              >{percent(r.counted_fraction, 1)}
              <Known how={r.assumed ? 'assumed' : 'predicted'} bare /></td
            >
          </tr>
        {:else}<tr><td colspan="6">Nobody that this radio would notice.</td></tr>{/each}
      </Ledger>
      <p class="mt-1 text-soft">
        Inside: what of the level falls into this radio's block. Counted: what each sends itself in the busy
        hour; a network's own figure holds its neighbours and your radios too, and those are taken out.
        {#if reasons.busy_hour_factor > 1.05}They were heard in a quieter hour: the busy one is taken to bring
          {fixed(reasons.busy_hour_factor, 1)} times as much, as streets usually do.{/if}
        <Known how="assumed" />: it does not announce its use, and a usual one stands for it.
      </p>
    </section>
    <section class="overflow-x-auto">
      <h3>What it must carry: {milliseconds(reasons.need_fraction)} of each second</h3>
      <Ledger
        class=""
        heads={[
          'Device',
          ['Level', 'figure'],
          ['Wants', 'figure'],
          ['A second carries', 'figure'],
          ['Airtime', 'figure'],
        ]}
      >
        {#each reasons.loads as load (load.id)}
          <tr>
            <td class="max-w-40 truncate">{load.name}</td>
            <td class="number">{dbm(load.rssi_dbm)}</td>
            <td class="number">{mbps(load.down_mbps)} + {mbps(load.up_mbps)}</td>
            <td class="number">{mbps(load.carried_down_mbps)} + {mbps(load.carried_up_mbps)}</td>
            <td class="number">{milliseconds(load.need_fraction)}</td>
          </tr>
        {/each}
        <tr><td colspan="4">Beacons</td><td class="number">{milliseconds(reasons.beacons_fraction)}</td></tr>
        {#each reasons.own as own (own.radio_id)}
          <tr
            ><td colspan="4"
              >{own.radio_id}: {own.shares ? 'own radio on the same channel' : 'own radio, as noise'}</td
            ><td class="number">{milliseconds(own.costs_fraction)}</td></tr
          >
        {/each}
      </Ledger>
      <p class="mt-1">
        Left by others: {milliseconds(reasons.available_fraction)}, never below the fair share of {milliseconds(
          reasons.fair_share_fraction,
        )}. Headroom: <strong class="figure">{headroom(reasons.headroom)}</strong>
      </p>
    </section>
  </div>
{/if}
