<script lang="ts">
  import { delivery, headroom } from '../lib/format'
  import type { Evaluation } from '../lib/types'
  import { rules } from '../state/rules.svelte'

  /** One figure of a setting, with its mark beside it, so that rows compare at a glance: problems as strokes, headroom
   * and the worst Zigbee delivery on scales with a rule at what is wanted. */
  interface Props {
    figure: 'problems' | 'headroom' | 'worst Zigbee'
    evaluation: Evaluation
    /** Most problems of all the rows. */
    most: number
  }
  let { figure, evaluation: e, most }: Props = $props()
  const WIDTH = 110
  const MOST = rules.offered.most_counted_headroom
  const room = $derived((Math.min(e.headroom ?? MOST, MOST) / MOST) * (WIDTH - 6))
  const ZIGBEE_FROM = 0.8
  const onZigbee = (v: number) => Math.max(0, (v - ZIGBEE_FROM) / (1 - ZIGBEE_FROM)) * (WIDTH - 12) + 6
  const stroke = $derived(Math.min(7, (WIDTH - 4) / Math.max(most, 1)))
</script>

<span class="flex items-center justify-end gap-2">
  {#if figure === 'problems'}{e.problems}
  {:else if figure === 'headroom'}{headroom(e.headroom)}
  {:else}{delivery(e.worst_zigbee_delivery)}{/if}
  <svg width={WIDTH} height="20" class="shrink-0 max-md:hidden" aria-hidden="true">
    {#if figure === 'problems'}
      {#each Array.from({ length: e.problems }, (_, k) => k) as k (k)}
        <line
          x1={3 + k * stroke}
          x2={3 + k * stroke}
          y1="4"
          y2="16"
          class="stroke-accent"
          stroke-width={Math.min(2, stroke / 2)}
        />
      {/each}
    {:else if figure === 'headroom'}
      <line x1={(WIDTH - 6) / MOST} x2={(WIDTH - 6) / MOST} y1="0" y2="20" class="stroke-rule" />
      <line x1="0" x2={room} y1="10" y2="10" class="stroke-ink" stroke-width="3" />
      <circle cx={room} cy="10" r="5" class={(e.headroom ?? MOST) < 1 ? 'fill-accent' : 'fill-ink'} />
    {:else if e.worst_zigbee_delivery !== null}
      {@const wanted = onZigbee(rules.offered.wanted_delivery)}
      <line x1={wanted} x2={wanted} y1="0" y2="20" class="stroke-rule" />
      <path
        d="M{onZigbee(e.worst_zigbee_delivery)} 4l6 6l-6 6l-6 -6z"
        class={rules.short(e.worst_zigbee_delivery) ? 'fill-accent' : 'fill-ink'}
      />
    {/if}
  </svg>
</span>
