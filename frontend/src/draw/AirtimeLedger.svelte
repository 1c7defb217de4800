<script lang="ts">
  import { milliseconds } from '../lib/format'
  import type { RadioFigures } from '../lib/types'

  /** ``slim``: the bar alone, for a line of a list. */
  let { figures, slim = false }: { figures: RadioFigures; slim?: boolean } = $props()
  let width = $state(400)
  /** One second of airtime: neighbours, other own radios on the channel, own need, what is left over. */
  const others = $derived(1 - figures.available_fraction)
  const shared = $derived(Math.min(figures.shared_fraction, figures.available_fraction))
  const need = $derived(Math.min(figures.need_fraction, figures.available_fraction - shared))
  const free = $derived(Math.max(0, 1 - others - shared - need))
  const short = $derived(figures.need_fraction + figures.shared_fraction > figures.available_fraction)
</script>

<svelte:element this={slim ? 'span' : 'figure'} class="m-0 block" bind:clientWidth={width}>
  <svg
    viewBox="0 0 {width} 26"
    preserveAspectRatio="none"
    class="block {slim ? 'h-4' : 'h-6'} w-full border border-(--ink)"
    role="img"
    aria-label="One second: {milliseconds(others)} others, {milliseconds(shared)} own radios, {milliseconds(
      need,
    )} this radio, {milliseconds(free)} free"
  >
    <defs>
      <pattern id="others" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <line x1="0" x2="0" y1="0" y2="7" class="stroke-ink" stroke-width="2.5" />
      </pattern>
      <pattern id="shared" width="6" height="6" patternUnits="userSpaceOnUse">
        <circle cx="3" cy="3" r="1.6" class="fill-accent" />
      </pattern>
    </defs>
    <rect x="0" y="0" {width} height="26" class="fill-sheet" />
    <rect x="0" y="0" width={others * width} height="26" fill="url(#others)" />
    <rect x={others * width} y="0" width={shared * width} height="26" fill="url(#shared)" />
    <rect x={(others + shared) * width} y="0" width={need * width} height="26" class="fill-accent" />
    {#if short}<line
        x1={width - 4}
        x2={width - 4}
        y1="0"
        y2="26"
        class="stroke-accent"
        stroke-width="8"
      />{/if}
  </svg>
  {#if !slim}
    <figcaption class="mt-0.5 flex flex-wrap gap-x-4 text-xs text-soft">
      <span>{@render swatch('url(#others)')} others {milliseconds(others)}</span>
      {#if shared > 0}<span
          >{@render swatch('url(#shared)')} own radios {milliseconds(figures.shared_fraction)}</span
        >{/if}
      <span
        >{@render swatch('var(--accent)')} this radio {milliseconds(figures.need_fraction)}{short
          ? ', more than is left'
          : ''}</span
      >
      {#if free > 0}<span>{@render swatch('var(--sheet)')} free {milliseconds(free)}</span>{/if}
    </figcaption>
  {/if}
</svelte:element>

{#snippet swatch(fill: string)}
  <svg viewBox="0 0 14 10" width="14" height="10" class="inline border border-(--ink)" aria-hidden="true"
    ><rect width="14" height="10" {fill} /></svg
  >
{/snippet}
