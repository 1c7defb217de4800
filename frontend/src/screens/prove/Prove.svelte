<script lang="ts">
  import { Footprints, Printer, Undo2 } from '@lucide/svelte'
  import { api, ask } from '../../lib/api'
  import { delivery, headroom, when } from '../../lib/format'
  import { onKeys } from '../../lib/keys'
  import type { Proof } from '../../lib/types'
  import Confirm from '../../parts/Confirm.svelte'
  import Views from '../../parts/Views.svelte'
  import type { CallState } from '../../state/call.svelte'
  import { goTo } from '../../state/route.svelte'
  import { Resource } from '../../state/resource.svelte'
  import DifferenceMark from '../../draw/DifferenceMark.svelte'
  import AfterCareCard from './AfterCareCard.svelte'
  import LevelTable from './LevelTable.svelte'
  import PlaceByPlace from './PlaceByPlace.svelte'
  import PredictedCard from './PredictedCard.svelte'
  import SettingsTable from './SettingsTable.svelte'
  import TruthCard from './TruthCard.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  let { state: call }: { state: CallState } = $props()
  const answer = new Resource<Proof | null>((signal) => {
    void call.call.revision
    if (!call.job.changes.length) return Promise.resolve(null)
    return ask(api.GET('/api/calls/{call_id}/proof', { params: { path: { call_id: call.id } }, signal }))
  })
  const proof = $derived(answer.value)
  let asking = $state(false)

  const again = () =>
    void call.listen(
      call.job.places.map((p) => p.id),
      true,
    )
  /** On a real house the old settings go on trial: the sheet of steps back is made from them. */
  async function goBack() {
    if (!proof) return
    await call.try(proof.before_settings)
    goTo(call.id, 'change')
  }
  const views = $derived<(readonly [string, string])[]>([
    ['c', 'After care'],
    ['r', 'Rooms'],
    ['l', 'Levels'],
    ...(proof?.zigbee.length ? [['z', 'Zigbee'] as const] : []),
    ['s', 'Settings'],
    ['d', 'Predicted'],
    ...(call.practice ? [['t', 'Truth'] as const] : []),
  ])
  const keys = onKeys({ m: () => call.practice && again(), p: () => print() })
  const zigbee = (id: string) => call.job.zigbee?.devices.find((d) => d.id === id)?.name ?? id
  /** Which of the two measured things a verdict rests on. */
  const restsOn = (p: Proof) =>
    [
      p.house_throughput?.verdict === p.verdict && 'throughput',
      p.house_latency?.verdict === p.verdict && 'latency',
      p.house_zigbee?.verdict === p.verdict && 'Zigbee',
    ]
      .filter(Boolean)
      .join(' and ')
  const headline = $derived(
    !proof
      ? ''
      : proof.mixed
        ? 'Some of it is better, some of it is worse.'
        : proof.verdict === 'inconclusive'
          ? 'The measurements are inconclusive.'
          : `It is ${proof.verdict}: ${restsOn(proof)}.`,
  )
</script>

<svelte:window onkeydown={keys} />
{#if !call.job.changes.length}
  <p class="page">
    Nothing was changed yet, so there is nothing to prove. <a class="underline" href="#/call/{call.id}/tune"
      >Tune the house</a
    > first; measure before you send it.
  </p>
{:else}
  <div class="no-print mb-4 flex flex-wrap items-center gap-3">
    {#if call.practice}<button class="button main" disabled={call.busy} onclick={again}
        ><Footprints size={18} />Measure again <kbd>M</kbd></button
      >{:else}<a class="button main" href="#/call/{call.id}/walk"
        ><Footprints size={18} />Measure again under Walk</a
      >{/if}
    <button class="button" onclick={() => print()}><Printer size={18} />Print <kbd>P</kbd></button>
    <span class="grow"></span>
    <button class="button" disabled={call.busy} onclick={() => (call.practice ? (asking = true) : goBack())}
      ><Undo2 size={18} />Go back to the old settings</button
    >
  </div>
  {#if proof}
    <section class="page mb-4 border-2 border-(--ink)" aria-label="Verdict">
      <p class="text-sm text-soft">{call.job.title}. Changed {when(proof.changed_at)}</p>
      <h2 class="my-1 text-2xl!">{headline}</h2>
      <div class="grid gap-x-8 gap-y-2 sm:grid-cols-2 lg:grid-cols-3">
        <div>
          <h3>Throughput over the house</h3>
          {#if proof.house_throughput}<DifferenceMark d={proof.house_throughput} kind="ratio" />{:else}<p>
              Not measured on both sides.
            </p>{/if}
        </div>
        <div>
          <h3>Latency under load</h3>
          {#if proof.house_latency}<DifferenceMark d={proof.house_latency} kind="latency" />{:else}<p>
              Not measured on both sides.
            </p>{/if}
        </div>
        <div>
          <h3>Zigbee reports delivered</h3>
          {#if proof.house_zigbee}<DifferenceMark d={proof.house_zigbee} kind="share" />{:else}<p>
              Not measured on both sides.
            </p>{/if}
        </div>
      </div>
      {#each proof.warnings as warning, i (i)}<p class="mt-2 border-l-4 border-(--accent) pl-2">
          <strong>Caution:</strong>
          {warning}.
        </p>{/each}
      <p class="mt-3 text-sm text-soft">
        Bars: 95 % intervals. "Better" or "worse" is said only when the interval leaves no change out. Only
        weeks without a drop-out prove a cure.
      </p>
    </section>
    <Views {views} label="What came of it">
      {#snippet children(view)}
        <!-- All of them are on paper: what is printed must not wait for a script. -->
        {#each views as [, name] (name)}
          <div class={name === view ? '' : 'hidden print:block'}>{@render part(name)}</div>
        {/each}
      {/snippet}
    </Views>
  {/if}
{/if}

{#snippet part(name: string)}
  {#if proof}
    {#if name === 'After care'}<AfterCareCard {call} />
    {:else if name === 'Rooms'}<PlaceByPlace {call} {proof} />
    {:else if name === 'Levels'}<LevelTable state={call} {proof} />
    {:else if name === 'Zigbee'}
      <section class="page mb-4" aria-label="Zigbee devices">
        <h2 class="mb-2">Zigbee, device by device</h2>
        <div class="grid gap-x-8 md:grid-cols-2">
          {#each proof.zigbee as z (z.device_id)}
            <div class="border-b border-(--rule) py-1.5">
              <strong>{zigbee(z.device_id)}</strong><DifferenceMark d={z.delivery} kind="share" />
            </div>
          {/each}
        </div>
      </section>
    {:else if name === 'Settings'}<SettingsTable state={call} {proof} />
      <section class="page mb-4" aria-label="The house's figures">
        <h2 class="mb-2">The house's figures, with what was heard then and now</h2>
        <Ledger class="max-w-xl" heads={['', ['Before', 'figure'], ['After', 'figure']]}>
          <tr
            ><td>Problems</td><td class="number">{proof.figures_before.problems}</td><td class="number"
              >{proof.figures_after.problems}</td
            ></tr
          >
          <tr
            ><td>Headroom</td><td class="number">{headroom(proof.figures_before.headroom)}</td><td
              class="number">{headroom(proof.figures_after.headroom)}</td
            ></tr
          >
          <tr
            ><td>Worst Zigbee delivery</td><td class="number"
              >{delivery(proof.figures_before.worst_zigbee_delivery)}</td
            ><td class="number">{delivery(proof.figures_after.worst_zigbee_delivery)}</td></tr
          >
        </Ledger>
      </section>
    {:else if name === 'Predicted'}<PredictedCard {call} />
    {:else if name === 'Truth'}<TruthCard state={call} />{/if}
  {/if}
{/snippet}

<Confirm
  bind:open={asking}
  title="Go back to the old settings?"
  action="Send the old settings"
  onconfirm={() => proof && call.apply(proof.before_settings, 'went back to the settings before the change')}
>
  The nodes and the hub get what they had before the first change of this call. Everybody drops off for a
  minute or two again.
</Confirm>
