<script lang="ts">
  import type { Band, Timeline } from '../lib/types'

  interface Props {
    timelines: Timeline[]
    minutes: number
    nameOf: (id: string) => string
    bandOf: (radioId: string) => Band | undefined
  }
  let { timelines, minutes, nameOf, bandOf }: Props = $props()
  const ROW = 24
  let widthPx = $state(700)
  const left = $derived(widthPx < 500 ? 96 : 150)
  const x = (minute: number) => left + ((widthPx - left - 8) * minute) / minutes
  const hours = $derived(Array.from({ length: minutes / 60 + 1 }, (_, i) => i * 60))
  /** Spans in which a client held a radio, by band: the mark's height tells the band beside its pattern. */
  function spans(t: Timeline) {
    const found: { from: number; to: number; radio: string }[] = []
    let since = 0
    let radio: string | null = null
    for (const m of t.moments) {
      if (radio) found.push({ from: since, to: m.minute, radio })
      since = m.minute
      radio = m.radio_id
    }
    if (radio) found.push({ from: since, to: minutes, radio })
    return found
  }
  const TALL: Record<Band, number> = { '2.4 GHz': 4, '5 GHz': 9, '6 GHz': 14 }
  const tall = (radio: string) => TALL[bandOf(radio) ?? '2.4 GHz']
  const cut = (text: string) =>
    text.length > left / 8 ? `${text.slice(0, Math.floor(left / 8) - 1)}…` : text
</script>

<div bind:clientWidth={widthPx} class="mt-2">
  <svg
    width={widthPx}
    height={timelines.length * ROW + 26}
    role="img"
    aria-label="An evening of each device, minute by minute"
  >
    {#each hours as hour (hour)}
      <line x1={x(hour)} x2={x(hour)} y1="0" y2={timelines.length * ROW} class="stroke-rule" />
      <text
        x={x(hour)}
        y={timelines.length * ROW + 18}
        text-anchor={hour === minutes ? 'end' : 'middle'}
        font-size="12"
        class="fill-soft">{hour} min</text
      >
    {/each}
    {#each timelines as t, i (t.device_id)}
      {@const y = i * ROW + ROW / 2}
      <text
        x={left - 8}
        y={y + 4}
        text-anchor="end"
        font-size="13"
        class={t.remedy ? 'fill-accent font-semibold' : 'fill-ink'}
        ><title>{nameOf(t.device_id)}</title>{cut(nameOf(t.device_id))}</text
      >
      {#each spans(t) as span (span.from)}
        <rect
          x={x(span.from)}
          y={y - tall(span.radio) / 2}
          width={Math.max(x(span.to) - x(span.from) - 0.5, 0.5)}
          height={tall(span.radio)}
          class="fill-rule"><title>{span.radio}, minute {span.from} to {span.to}</title></rect
        >
      {/each}
      {#each t.moments.filter((m) => m.minute > 0) as m, i (i)}
        {#if m.what === 'refused' || m.what === 'dropped'}
          <path d="M{x(m.minute) - 4} {y - 4}l8 8m0 -8l-8 8" class="stroke-accent" stroke-width="2"
            ><title>{m.what}, minute {m.minute}</title></path
          >
        {:else if m.what !== 'joined'}
          <path d="M{x(m.minute)} {y - 9}v18" class="stroke-ink" stroke-width="2"
            ><title>{m.what} to {m.radio_id}, minute {m.minute}</title></path
          >
        {/if}
      {/each}
    {/each}
  </svg>
  <p class="text-sm text-soft">
    Thin bar 2.4 GHz, thicker 5 GHz, thickest 6 GHz; a stroke: moved or steered; a cross: refused or dropped.
  </p>
</div>
