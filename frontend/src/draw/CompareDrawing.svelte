<script lang="ts">
  import { rules } from '../state/rules.svelte'
  import { delivery, headroom, percent } from '../lib/format'
  import type { Evaluation } from '../lib/types'

  /** Settings side by side: problems as strokes, headroom and the worst Zigbee delivery as marks on scales. */
  interface Props {
    rows: { name: string; kind: string; evaluation: Evaluation }[]
  }
  let { rows }: Props = $props()
  const ROW = 28
  let width = $state(800)
  const narrow = $derived(width < 560)
  const left = $derived(narrow ? 108 : 190)
  /** More headroom than this is compared no further. */
  const MOST = rules.offered.most_counted_headroom
  const most = $derived(Math.max(1, ...rows.map((r) => r.evaluation.problems)))
  const third = $derived((width - left - 24) / 3)
  const at = (column: number, share: number) => left + column * (third + 8) + share * (third - 24)
  const zigbee = (v: number | null | undefined) => Math.max(0, ((v ?? 1) - 0.8) / 0.2)
  const cut = (text: string) =>
    text.length > left / 7.4 ? `${text.slice(0, Math.floor(left / 7.4) - 1)}…` : text
  const columns = $derived([
    {
      text: 'problems',
      ticks: [
        [0, '0'],
        [1, String(most)],
      ] as [number, string][],
    },
    {
      text: 'headroom',
      ticks: [
        [0, '0'],
        [1 / MOST, '1×'],
        [2 / MOST, '2×'],
        [1, `${MOST}×`],
      ] as [number, string][],
    },
    {
      text: 'worst Zigbee',
      ticks: [
        [0, '80 %'],
        [zigbee(rules.offered.wanted_delivery), percent(rules.offered.wanted_delivery)],
      ] as [number, string][],
    },
  ])
</script>

<div bind:clientWidth={width} class="my-3">
  <svg {width} height={rows.length * ROW + 48} role="img" aria-label="Settings side by side">
    {#each columns as column, c (c)}
      <text x={at(c, 0)} y="12" font-size="12" class="fill-soft">{column.text}</text>
      {#each column.ticks as [share, text], t (t)}
        <line x1={at(c, share)} x2={at(c, share)} y1="18" y2={rows.length * ROW + 22} class="stroke-rule" />
        <text
          x={at(c, share)}
          y={rows.length * ROW + 38}
          font-size="11"
          text-anchor="middle"
          class="fill-soft">{text}</text
        >
      {/each}
    {/each}
    {#each rows as row, i (i)}
      {@const y = 20 + i * ROW + ROW / 2}
      {@const e = row.evaluation}
      {@const plan = row.kind === 'plan'}
      {#if plan}<rect x="0" y={y - ROW / 2} {width} height={ROW} class="fill-wash" />{/if}
      <text x="4" y={y + 4} font-size="13" class="fill-ink {plan ? 'font-bold' : ''}"
        ><title>{row.name}</title>{cut(row.name)}</text
      >
      {#each Array.from({ length: Math.min(e.problems, 60) }, (_, k) => k) as k (k)}
        <line
          x1={at(0, (k + 0.5) / most)}
          x2={at(0, (k + 0.5) / most)}
          y1={y - 6}
          y2={y + 6}
          class="stroke-accent"
          stroke-width="2"
        />
      {/each}
      {#if e.problems === 0}<text x={at(0, 0) + 4} y={y + 4} font-size="12" class="fill-soft">none</text>{/if}
      <line
        x1={at(1, 0)}
        x2={at(1, Math.min(e.headroom ?? MOST, MOST) / MOST)}
        y1={y}
        y2={y}
        class="stroke-ink"
        stroke-width="3"><title>{headroom(e.headroom)}</title></line
      >
      <circle
        cx={at(1, Math.min(e.headroom ?? MOST, MOST) / MOST)}
        cy={y}
        r="5"
        class={(e.headroom ?? MOST) < 1 ? 'fill-accent' : 'fill-ink'}
      />
      {#if e.worst_zigbee_delivery !== null}
        {@const z = at(2, zigbee(e.worst_zigbee_delivery))}
        <path
          d="M{z} {y - 6}l6 6l-6 6l-6 -6z"
          class={rules.short(e.worst_zigbee_delivery) ? 'fill-accent' : 'fill-ink'}
          ><title>{delivery(e.worst_zigbee_delivery)}</title></path
        >
      {/if}
    {/each}
  </svg>
</div>
