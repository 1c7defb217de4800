<script lang="ts">
  import type { Section } from '../lib/types'
  import ContourLabels from './ContourLabels.svelte'
  import { around, levelLabels, placeLabels, type Label } from './labels'
  import PlacedText from './PlacedText.svelte'
  import { pathOf, type Box } from './plan'

  interface Props {
    section: Section
    names: Record<string, string>
    placeNames: Record<string, string>
  }
  let { section, names, placeNames }: Props = $props()
  let widthPx = $state(700)
  const frame = $derived({
    x: section.from_m - 0.4,
    y: -section.top_m - 0.6,
    width: section.to_m - section.from_m + 0.8,
    height: section.top_m - section.bottom_m + 1.2,
  })
  const px = $derived(frame.width / Math.max(widthPx, 200))
  const nameOf = (p: Section['points'][number]) => (p.kind === 'node' ? names : placeNames)[p.id] ?? p.id
  /** Nodes' names first, then spots', then the values on contours that have room; floors and walls stay clear. */
  const labels = $derived.by(() => {
    const mark = (p: Section['points'][number]): Box => {
      const r = px * (p.kind === 'node' ? 8 : 6)
      return { x: p.at_m - r, y: -p.height_m - r, width: 2 * r, height: 2 * r }
    }
    const floors = section.floors.map((f) => ({
      x: f.from_m,
      y: -f.height_m - px * 2,
      width: f.to_m - f.from_m,
      height: px * 4,
    }))
    const walls = section.walls.map((w) => ({
      x: w.at_m - px * 2,
      y: -w.top_m,
      width: px * 4,
      height: w.top_m - w.bottom_m,
    }))
    const nodesFirst = [...section.points].sort((p, q) => p.kind.localeCompare(q.kind))
    const wanted: Label[] = [
      ...nodesFirst.map((p) => ({
        id: `${p.kind}:${p.id}`,
        candidates: around(p.at_m, -p.height_m, nameOf(p), px * 13, px * 10),
        must: true,
      })),
      ...levelLabels(section.contours, px),
    ]
    return placeLabels(wanted, [...section.points.map(mark), ...floors, ...walls], frame)
  })
  const isDesign = (level: number) => level === section.design_dbm
</script>

<div class="overflow-x-auto">
  <div bind:clientWidth={widthPx} class="w-full max-sm:min-w-[42rem]">
    <svg
      viewBox="{frame.x} {frame.y} {frame.width} {frame.height}"
      class="block max-h-[70vh] w-full"
      role="img"
      aria-label="Section {section.axis} the house"
    >
      <defs>
        <pattern
          id="unsure-cut"
          width={px * 7}
          height={px * 7}
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <line x1="0" y1="0" x2="0" y2={px * 7} class="stroke-strong" stroke-width={px} />
        </pattern>
      </defs>
      <path
        d={section.unsure.map((r) => pathOf(r, true)).join('')}
        fill="url(#unsure-cut)"
        fill-rule="evenodd"
      />
      {#each section.contours as contour (contour.level_dbm)}
        <path
          d={contour.lines.map((line) => pathOf(line)).join('')}
          fill="none"
          class={isDesign(contour.level_dbm) ? 'stroke-accent' : 'stroke-ink'}
          stroke-width={px * (isDesign(contour.level_dbm) ? 2.6 : contour.level_dbm % 10 === 0 ? 1.4 : 0.8)}
          stroke-dasharray={contour.level_dbm <= section.handover_dbm ? `${px * 5} ${px * 3}` : undefined}
        />
      {/each}
      {#each section.walls as wall, i (i)}
        <line
          x1={wall.at_m}
          x2={wall.at_m}
          y1={-wall.bottom_m}
          y2={-wall.top_m}
          class="stroke-ink"
          stroke-width={px * 3}><title>{wall.name}</title></line
        >
      {/each}
      {#each section.floors as floor, i (i)}
        <line
          x1={floor.from_m}
          x2={floor.to_m}
          y1={-floor.height_m}
          y2={-floor.height_m}
          class="stroke-ink"
          stroke-width={px * 4}><title>{floor.name}</title></line
        >
      {/each}
      <ContourLabels
        contours={section.contours}
        designDbm={section.design_dbm}
        {px}
        shown={(level, i) => labels.has(`level:${level}:${i}`)}
      />
      {#each section.points as point (point.kind + point.id)}
        {#if point.kind === 'node'}
          <rect
            x={point.at_m - px * 7}
            y={-point.height_m - px * 7}
            width={px * 14}
            height={px * 14}
            class="fill-ink"
          />
        {:else}
          <path
            d="M{point.at_m - px * 5} {-point.height_m}h{px * 10}M{point.at_m} {-point.height_m -
              px * 5}v{px * 10}"
            class="stroke-ink"
            stroke-width={px * 2}
          />
        {/if}
        {@const area = labels.get(`${point.kind}:${point.id}`)}
        {#if area}<PlacedText
            text={nameOf(point)}
            {area}
            size={px * 13}
            halo={px * 4}
            class={point.kind === 'node' ? 'fill-ink font-semibold' : 'fill-soft'}
          />{/if}
      {/each}
    </svg>
  </div>
</div>
