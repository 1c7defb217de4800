<script lang="ts">
  import type { ComponentProps } from 'svelte'
  import Known from '../parts/Known.svelte'
  import { db, delivery, headroom, plural } from '../lib/format'
  import type { Evaluation } from '../lib/types'
  import type { CallState } from '../state/call.svelte'

  let { state }: { state: CallState } = $props()

  const placeName = (id: string | null) => state.job.places.find((p) => p.id === id)?.name ?? ''
  const zigbeeName = (id: string | null) => state.job.zigbee?.devices.find((d) => d.id === id)?.name ?? ''
  /** Whether somebody listened where the weakest device is; else its level comes from the house's plan. */
  const read = (e: Evaluation) => e.devices.find((d) => d.device_id === e.weakest_spot_device_id)?.measured
  const missing = $derived(state.call.own_unnamed ? 'own network?' : 'no scan yet')
  type Row = readonly [figure: string, note: string, how: ComponentProps<typeof Known>['how']]
  const rows = (e: Evaluation): Record<keyof typeof labels, Row> => ({
    headroom: state.call.air_known
      ? [headroom(e.headroom), e.headroom_radio_id ?? '', 'predicted']
      : ['–', missing, 'not known'],
    spot: e.weakest_spot_place_id
      ? [
          db(e.weakest_spot_snr_db),
          `${placeName(e.weakest_spot_place_id)}, over noise`,
          read(e) && !state.trial ? 'measured' : 'predicted',
        ]
      : [db(e.weakest_spot_snr_db), 'nothing heard', 'not known'],
    zigbee: [
      delivery(e.worst_zigbee_delivery),
      zigbeeName(e.worst_zigbee_device_id),
      e.worst_zigbee_delivery == null ? 'not known' : 'predicted',
    ],
  })
  const now = $derived(state.now && rows(state.now))
  const trial = $derived(state.trialFigures && rows(state.trialFigures))
  const labels = { headroom: 'Headroom', spot: 'Weakest spot', zigbee: 'Worst Zigbee' } as const
</script>

{#snippet pair(before: string, trial: string | null, note: string)}
  {@const after = trial === '–' && before === '–' ? null : trial}
  <dd class="leading-tight">
    <span
      class="figure text-lg whitespace-nowrap max-sm:text-base"
      class:line-through={after !== null}
      class:opacity-60={after !== null}
      data-when="now">{before}</span
    >
    {#if after !== null}<span
        class="figure text-lg whitespace-nowrap text-accent max-sm:block max-sm:text-base"
        data-when="trial">{after}</span
      >{/if}
    <span class="block max-w-32 truncate text-xs text-soft">{note}</span>
  </dd>
{/snippet}

{#if now && state.now}
  <dl
    class="grid grid-cols-4 gap-x-3 py-1.5 sm:flex sm:flex-wrap sm:items-stretch sm:justify-end sm:gap-x-3"
    aria-label="The house's figures"
  >
    {#each Object.entries(labels) as [key, label] (key)}
      {@const k = key as keyof typeof labels}
      <div class="min-w-0 sm:min-w-18" data-figure={key}>
        <dt
          class="text-xs whitespace-nowrap text-soft"
          title={k === 'spot' ? 'Level over noise at the weakest device' : undefined}
        >
          {label}
          <Known how={(trial ?? now)[k][2]} bare />
        </dt>
        {@render pair(now[k][0], trial?.[k][0] ?? null, (trial ?? now)[k][1])}
      </div>
    {/each}
    <div class="min-w-0 sm:min-w-16" data-figure="problems">
      <dt class="text-xs whitespace-nowrap text-soft">
        Problems <Known how={state.call.air_known ? 'predicted' : 'not known'} bare />
      </dt>
      {@render pair(
        state.call.air_known ? String(state.now.problems) : '–',
        state.trialFigures && (state.call.air_known ? String(state.trialFigures.problems) : '–'),
        trial ? 'now, then trial' : plural(state.now.radios.length, 'radio'),
      )}
    </div>
  </dl>
{:else}
  <p class="py-2 text-right text-sm text-soft">
    No radios yet: the house's figures come with the first node.
  </p>
{/if}
