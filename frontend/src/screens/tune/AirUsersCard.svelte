<script lang="ts">
  import Known from '../../parts/Known.svelte'
  import { api, ask } from '../../lib/api'
  import { dbm, delivery, headroom, percent, prose } from '../../lib/format'
  import type { AirUsers } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  let { state: call }: { state: CallState } = $props()
  const answer = new Resource<AirUsers>((signal) =>
    ask(
      api.POST('/api/calls/{call_id}/air-users', {
        params: { path: { call_id: call.id } },
        body: { settings: call.settings, stands: [] },
        signal,
      }),
    ),
  )
  const users = $derived(answer.value)
  const placeOf = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id
  /** −100 to −30 dBm on the drawing's height. */
  const y = (level: number) => 8 + (Math.min(Math.max(-30 - level, 0), 70) / 70) * 100
  const x = (channel: number) => 40 + (channel - 11) * 36
  const scans = $derived([...new Set((users?.energy ?? []).map((e) => e.place_id))])
</script>

<article class="page" aria-label="Other 2.4 GHz sources now">
  <h3 class="mb-1">Other 2.4 GHz sources now</h3>
  {#if users}
    <p class="mb-2">{users.text[0]?.toUpperCase()}{prose(users.text.slice(1))}.</p>
    {#if users.senders.length}
      <Ledger
        heads={[
          'Source',
          ['MHz', 'figure'],
          ['Sends', 'figure'],
          ['At the hub', 'figure'],
          ['Problems', 'figure'],
          ['Headroom', 'figure'],
          ['Worst Zigbee', 'figure'],
        ]}
      >
        {#each users.senders as s (s.source_id)}
          <tr
            ><td
              >{s.name}
              <span class="block text-xs text-soft">while it runs, then without it; {prose(s.advice)}</span
              ></td
            ><td class="number">{s.low_mhz} to {s.high_mhz}</td><td class="number"
              >{percent(s.duty_fraction)}<span class="block text-xs text-soft"
                >{percent(s.hour_fraction, 1)} of the hour</span
              ></td
            ><td class="number"
              >{dbm(s.hub_dbm)}<span class="block text-xs text-soft"
                ><Known how={s.measured ? 'measured' : 'predicted'} /></span
              ></td
            ><td class="number"
              ><strong class:text-accent={s.problems_running > s.problems_without}
                >{s.problems_running}</strong
              ><span class="block text-soft">{s.problems_without}</span></td
            ><td class="number"
              ><strong>{headroom(s.headroom_running)}</strong><span class="block text-soft"
                >{headroom(s.headroom_without)}</span
              ></td
            ><td class="number"
              ><strong>{delivery(s.zigbee_running)}</strong><span class="block text-soft"
                >{delivery(s.zigbee_without)}</span
              ></td
            ></tr
          >
        {/each}
      </Ledger>
    {/if}
    {#if users.pans.length}
      <p class="mt-2 text-sm">
        802.15.4 networks heard:
        {#each users.pans as p (p.pan_id + p.channel + p.place_id)}<span class="mr-4 inline-block"
            ><span class="font-mono">{p.pan_id}</span>
            {p.own ? 'ours' : 'somebody else’s'}, channel {p.channel}, {percent(p.airtime_fraction, 2)} of the time{p.rssi_dbm ===
            null
              ? ''
              : `, ${dbm(p.rssi_dbm)}`}</span
          >{/each}
      </p>
    {/if}
    {#each scans as scan (scan)}
      <figure class="m-0 mt-3 overflow-x-auto">
        <figcaption class="text-sm text-soft">
          Energy at {placeOf(scan)}, channel by channel: the stroke is what the scan found, the frame what is
          known to send there; a cross where nothing explains it.
        </figcaption>
        <svg width="620" height="132" role="img" aria-label="Energy scan at {placeOf(scan)}">
          {#each [-40, -60, -80] as level (level)}
            <line x1="30" x2="616" y1={y(level)} y2={y(level)} class="stroke-rule" />
            <text x="0" y={y(level) + 4} font-size="11" class="fill-soft">−{-level}</text>
          {/each}
          {#each users.energy.filter((e) => e.place_id === scan) as e (e.channel)}
            <rect
              x={x(e.channel) - 9}
              y={y(e.explained_dbm)}
              width="18"
              height={108 - y(e.explained_dbm)}
              class="fill-wash stroke-strong"><title>{e.by}: {dbm(e.explained_dbm)}</title></rect
            >
            <line
              x1={x(e.channel) - 13}
              x2={x(e.channel) + 13}
              y1={y(e.level_dbm)}
              y2={y(e.level_dbm)}
              class={e.unexplained ? 'stroke-accent' : 'stroke-ink'}
              stroke-width="3"><title>scan: {dbm(e.level_dbm)}</title></line
            >
            {#if e.unexplained}<path
                d="M{x(e.channel) - 5} {y(e.level_dbm) - 14}l10 10m0 -10l-10 10"
                class="stroke-accent"
                stroke-width="2"
              />{/if}
            <text x={x(e.channel)} y="124" font-size="12" text-anchor="middle" class="fill-ink"
              >{e.channel}</text
            >
          {/each}
        </svg>
      </figure>
    {/each}
  {:else}<p class="text-soft">Adding up…</p>{/if}
</article>
