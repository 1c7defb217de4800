<script lang="ts">
  import { headroom, percent, plural, prose } from '../../lib/format'
  import Ledger from '../../parts/Ledger.svelte'
  import type { Outlook, Span } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'

  let { state: call, outlook }: { state: CallState; outlook: Outlook } = $props()
  const placeName = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id
  const SHOWN: Record<string, { label: string; text: (value: number) => string }> = {
    problems: { label: 'Problems', text: (v) => v.toFixed(0) },
    headroom: { label: 'Headroom', text: (v) => headroom(v) },
    'devices carried': { label: 'Devices carried', text: (v) => percent(v) },
    'worst Zigbee delivery': { label: 'Worst Zigbee', text: (v) => `${(100 * v).toFixed(1)} %` },
  }
  const speedOf = (value: number) => value.toFixed(value < 10 ? 1 : 0)
  const range = (span: Span, text: (value: number) => string) =>
    text(span.low) === text(span.high) ? '' : `${text(span.low)} to ${text(span.high)}`
  type Measured = NonNullable<Outlook['agreement']>['measurements'][number]
  const missed = $derived((outlook.agreement?.measurements ?? []).filter((m) => !m.held))
  const listed = $derived(outlook.agreement?.listed ?? [])
  const onListed = (share: 'share_before' | 'share_after') =>
    listed.filter((d) => (d[share] ?? 0) >= 0.5).length
  const deviceName = (id: string) => call.job.zigbee?.devices.find((d) => d.id === id)?.name ?? id
  const asMeasured = (m: Measured) =>
    m.kind === 'speed test'
      ? `${placeName(m.subject_id)} (${speedOf(m.measured)} Mb/s measured, ${range(m, speedOf)} expected)`
      : m.kind === 'channel use'
        ? `${m.subject_id} (${percent(m.measured)} busy, ${range(m, (v) => percent(v))} expected)`
        : `${deviceName(m.subject_id)} (${(100 * m.measured).toFixed(1)} % arrived, ${range(m, (v) => `${(100 * v).toFixed(1)} %`)} expected)`
  const falling = $derived(outlook.speeds.filter((s) => s.falls))
</script>

<section class="mb-3" aria-label="What will come">
  <p class="mb-2">
    Tried in {outlook.worlds} drawn worlds that agree with what was measured: better than now in
    <strong>{outlook.better}</strong>, worse in <strong>{outlook.worse}</strong>. Each range holds {percent(
      outlook.held_share,
    )} of them.
  </p>
  <div class="grid gap-x-8 gap-y-3 lg:grid-cols-2">
    <div>
      <Ledger label="What will come" heads={['The house', ['Now', 'figure'], ['Then', 'figure']]}>
        {#each outlook.figures as figure (figure.name)}
          {@const shown = SHOWN[figure.name]}
          {#if shown}
            <tr
              ><td>{shown.label}</td>
              <td class="number"
                >{shown.text(figure.now.middle)}
                <span class="block text-xs text-soft">{range(figure.now, shown.text)}</span></td
              >
              <td class="number font-bold"
                >{shown.text(figure.then.middle)}
                <span class="block text-xs font-normal text-soft">{range(figure.then, shown.text)}</span></td
              ></tr
            >
          {/if}
        {/each}
      </Ledger>
      {#if outlook.agreement}
        {@const a = outlook.agreement}
        <p class="mt-3">
          Held to what was measured here: of {a.drawn} drawn worlds about {a.agreeing} agree with it; they say {a
            .measurements.length - missed.length} of {plural(a.measurements.length, 'measurement')}.
          {#if missed.length}What they do not say, and so cannot judge: {missed
              .map(asMeasured)
              .join('; ')}.{/if}
          {#if listed.length}Of {plural(listed.length, 'device')} on the router’s list {onListed(
              'share_before',
            )} were expected on the radio that it shows, now {onListed('share_after')}.{/if}
        </p>
      {/if}
      <p class="mt-3">
        {#if outlook.hinge}It hangs most on {outlook.hinge.what}.
          <strong>To settle it: {prose(outlook.hinge.measure)}.</strong>{:else}No single unknown decides it.{/if}
        {#if falling.length}{plural(falling.length, 'place')} would be noticeably slower: the reason stands beside
          {falling.length === 1 ? 'it' : 'each'}.{/if}
        {#if outlook.parts.length}As heard in the {outlook.parts.join(', the ')}: {outlook.worse_in.length
            ? `worse in the ${outlook.worse_in.join(' and the ')}`
            : 'worse in none of them'}.{/if}
      </p>
    </div>
    <Ledger
      label="Speed to come"
      heads={['Speed test, down', ['Now, Mb/s', 'figure'], ['Then, Mb/s', 'figure']]}
    >
      {#each outlook.speeds as speed (speed.place_id)}
        <tr
          ><td
            >{placeName(speed.place_id)}{#if speed.falls}<span class="block text-xs text-accent"
                >▼ {speed.reason}</span
              >{/if}</td
          >
          <td class="number"
            >{speedOf(speed.now_mbps.middle)}
            <span class="block text-xs text-soft">{range(speed.now_mbps, speedOf)}</span></td
          >
          <td class="number font-bold"
            >{speedOf(speed.then_mbps.middle)}
            <span class="block text-xs font-normal text-soft">{range(speed.then_mbps, speedOf)}</span></td
          ></tr
        >
      {/each}
    </Ledger>
  </div>
</section>
