<script lang="ts">
  import { db, delivery, headroom, plural } from '../lib/format'
  import type { Evaluation } from '../lib/types'
  import type { CallState } from '../state/call.svelte'

  let { state }: { state: CallState } = $props()

  const placeName = (id: string | null) => state.job.places.find((p) => p.id === id)?.name ?? ''
  const zigbeeName = (id: string | null) => state.job.zigbee?.devices.find((d) => d.id === id)?.name ?? ''
  const rows = (e: Evaluation) => ({
    headroom: [headroom(e.headroom), e.headroom_radio_id ?? ''],
    spot: [db(e.weakest_spot_snr_db), placeName(e.weakest_spot_place_id)],
    zigbee: [delivery(e.worst_zigbee_delivery), zigbeeName(e.worst_zigbee_device_id)],
  })
  const now = $derived(state.now && rows(state.now))
  const trial = $derived(state.trialFigures && rows(state.trialFigures))
  const labels = { headroom: 'Headroom', spot: 'Weakest spot, over noise', zigbee: 'Worst Zigbee' } as const
</script>

{#if now && state.now}
  <dl
    class="flex flex-wrap items-stretch justify-end gap-x-5 gap-y-1 py-1.5"
    aria-label="The house's figures"
  >
    {#each Object.entries(labels) as [key, label] (key)}
      {@const k = key as keyof typeof labels}
      <div class="min-w-24 max-sm:grow" data-figure={key}>
        <dt class="text-xs text-soft">{label}</dt>
        <dd class="leading-tight">
          <span class="figure text-lg" class:line-through={!!trial} class:opacity-60={!!trial} data-when="now"
            >{now[k][0]}</span
          >
          {#if trial}<span class="figure text-lg text-accent" data-when="trial">{trial[k][0]}</span>{/if}
          <span class="block max-w-40 truncate text-xs text-soft">{(trial ?? now)[k][1]}</span>
        </dd>
      </div>
    {/each}
    <div class="min-w-20" data-figure="troubles">
      <dt class="text-xs text-soft">Troubles</dt>
      <dd class="leading-tight">
        <span class="figure text-lg" class:line-through={!!trial} class:opacity-60={!!trial} data-when="now"
          >{state.now.troubles}</span
        >
        {#if state.trialFigures}<span class="figure text-lg text-accent" data-when="trial"
            >{state.trialFigures.troubles}</span
          >{/if}
        <span class="block text-xs text-soft">
          {#if trial}now, then on trial{:else}{plural(state.now.radios.length, 'radio')}{/if}
        </span>
      </dd>
    </div>
  </dl>
{:else}
  <p class="py-2 text-right text-sm text-soft">
    No radios yet: the house's figures come with the first node.
  </p>
{/if}
