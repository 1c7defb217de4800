<script lang="ts">
  import Sign from '../../parts/Sign.svelte'
  import Known from '../../parts/Known.svelte'
  import { fixed, mbps, percent, plural, prose } from '../../lib/format'
  import type { Outlook, Span } from '../../lib/types'
  import Ledger from '../../parts/Ledger.svelte'
  import type { CallState } from '../../state/call.svelte'

  /** What the speed test will say in each room, and how well the drawn worlds say what was measured. */
  let { state: call, outlook }: { state: CallState; outlook: Outlook } = $props()
  const placeName = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id
  const deviceName = (id: string) => call.job.zigbee?.devices.find((d) => d.id === id)?.name ?? id
  const speedOf = (value: number) => fixed(value, value < 10 ? 1 : 0)
  type Ends = Pick<Span, 'low' | 'high'>
  const range = (span: Ends, text: (value: number) => string) =>
    text(span.low) === text(span.high) ? '' : `${text(span.low)} to ${text(span.high)}`
  const expected = (span: Ends, text: (value: number) => string) => range(span, text) || text(span.low)
  type Measured = NonNullable<Outlook['agreement']>['measurements'][number]
  const missed = $derived((outlook.agreement?.measurements ?? []).filter((m) => !m.held))
  const listed = $derived(outlook.agreement?.listed ?? [])
  const ms = (span: Span | null) => (span ? fixed(span.middle) : '–')
  const asMeasured = (m: Measured) =>
    m.kind === 'speed test'
      ? `${placeName(m.subject_id)} (${mbps(m.measured)} measured, ${expected(m, speedOf)} expected)`
      : m.kind === 'latency'
        ? `${placeName(m.subject_id)} (${fixed(m.measured)} ms under load measured, ${expected(m, (v) => fixed(v))} expected)`
        : m.kind === 'channel use'
          ? `${m.subject_id} (${percent(m.measured)} busy, ${expected(m, (v) => percent(v))} expected)`
          : `${deviceName(m.subject_id)} (${percent(m.measured, 1)} arrived, ${expected(m, (v) => percent(v, 1))} expected)`
</script>

<section class="page" aria-label="Rooms">
  <h3 class="mb-2">What the speed test will say in each room</h3>
  <Ledger
    label="Speed to come"
    heads={[
      'Room',
      ['Now, Mb/s down', 'figure'],
      ['Then, Mb/s down', 'figure'],
      ['Up, Mb/s', 'figure'],
      ['Latency under load', 'figure'],
    ]}
  >
    {#each outlook.speeds as speed (speed.place_id)}
      <tr
        ><td
          >{placeName(speed.place_id)}{#if speed.falls}<span class="block text-xs text-accent"
              ><Sign mark="▼" says="Slower:" /> {prose(speed.reason)}</span
            >{/if}</td
        >
        <td class="number"
          >{speedOf(speed.now_mbps.middle)}
          <span class="block text-xs text-soft">{range(speed.now_mbps, speedOf)}</span></td
        >
        <td class="number font-bold"
          >{speedOf(speed.then_mbps.middle)}
          <span class="block text-xs font-normal text-soft">{range(speed.then_mbps, speedOf)}</span></td
        >
        <td class="number"
          >{speedOf(speed.now_up_mbps.middle)}
          <Sign mark="→" says="then" />
          {speedOf(speed.then_up_mbps.middle)}
          <span class="block text-xs text-soft">then {range(speed.then_up_mbps, speedOf)}</span></td
        >
        <td class="number"
          >{ms(speed.now_latency_ms)}
          <Sign mark="→" says="then" />
          {ms(speed.then_latency_ms)} ms
          {#if speed.then_latency_ms}<span class="block text-xs text-soft"
              >then {range(speed.then_latency_ms, (v) => fixed(v))}</span
            >{/if}</td
        ></tr
      >
    {/each}
  </Ledger>
  <p class="mt-2 text-sm text-soft">
    <Known how="predicted" />: of a usual phone alone in the room while the household goes on, in the busiest
    hour; nothing over the internet is faster than the line. Latency is that of the air: a router that queues
    badly adds to it.
  </p>
  {#if outlook.agreement}
    {@const a = outlook.agreement}
    <h3 class="mt-3">Held to what was measured here</h3>
    <p>
      {#if a.measurements.length}Of {a.drawn} drawn worlds about {a.agreeing} agree with it; they reproduce {a
          .measurements.length - missed.length} of {plural(a.measurements.length, 'measurement')}.{/if}
      {#if listed.length}Of {plural(listed.length, 'device')} on the router’s list {listed.filter(
          (d) => d.expected,
        ).length}
        were expected on the radio that it shows, of {listed.filter((d) => d.held).length} the worlds now say what
        it shows.{/if}
    </p>
    {#if missed.length}<p class="mt-1">
        What they do not reproduce, and so cannot judge: {missed.map(asMeasured).join('; ')}.
      </p>{/if}
  {/if}
</section>
