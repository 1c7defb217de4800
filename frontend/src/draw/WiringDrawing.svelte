<script lang="ts">
  import type { Cabling } from '../lib/types'
  import { CARD, LETTERS, cablePath, layout, plugAt, wrapped } from './wiring'

  interface Props {
    drawn: Cabling
    picked: string | null
    flagged: string[]
    down: boolean
    onpick: (id: string) => void
    onunplug: (a: string, b: string) => void
  }
  let { drawn, picked, flagged, down, onpick, onunplug }: Props = $props()
  const texts = $derived(
    new Map(
      drawn.boxes.map((b) => [
        b.id,
        {
          name: wrapped(b.name, LETTERS.name),
          does: wrapped(b.hops === null ? 'not joined' : does(b), LETTERS.does),
        },
      ]),
    ),
  )
  const lines = $derived(Math.max(2, ...[...texts.values()].map((t) => t.name.length + t.does.length)))
  const plan = $derived(layout(drawn, down, lines))
  const name = (id: string) => drawn.boxes.find((b) => b.id === id)?.name ?? id
  const does = (b: Cabling['boxes'][number]) =>
    b.role === 'switch' || b.role === 'modem'
      ? b.role
      : `${b.role === 'node' ? '' : `${b.role}, `}${b.routes === null ? 'routes?' : b.routes ? 'routes' : 'follows'}${by(b.id)}`
  const by = (id: string) => {
    const link = drawn.joins.find((j) => j.band && j.b_id === id)
    return link ? ` by ${link.band}` : ''
  }
  const press = (event: KeyboardEvent, act: () => void) => {
    if (event.key === 'Enter' || event.key === ' ') {
      event.preventDefault()
      act()
    }
  }
</script>

<div class="overflow-x-auto">
  <svg
    viewBox="0 0 {plan.width} {plan.height}"
    width={plan.width}
    height={plan.height}
    class="max-w-none"
    role="group"
    aria-label="The cabling"
  >
    {#each drawn.joins as j (`${j.a_id} ${j.b_id}`)}
      {@const a = plan.at.get(j.a_id)}
      {@const b = plan.at.get(j.b_id)}
      {#if a && b}
        {@const d = cablePath(a, b, down)}
        {@const plug = plugAt(a, b, down)}
        {#if j.band}
          <path
            {d}
            class="pointer-events-none fill-none stroke-ink"
            stroke-width="2"
            stroke-dasharray="2 6"
          />
        {:else}
          <g
            role="button"
            tabindex="0"
            aria-label="Unplug the cable between {name(j.a_id)} and {name(j.b_id)}"
            class="cable cursor-pointer"
            onclick={() => onunplug(j.a_id, j.b_id)}
            onkeydown={(e) => press(e, () => onunplug(j.a_id, j.b_id))}
          >
            <path {d} class="fill-none stroke-transparent" stroke-width="18" />
            <path
              {d}
              class="fill-none"
              class:stroke-accent={j.in_ring}
              class:stroke-ink={!j.in_ring}
              stroke-width={j.in_ring ? 4 : 2.5}
            />
            <circle cx={plug.x} cy={plug.y} r="7" class="fill-sheet stroke-ink" stroke-width="1.5" />
            <path
              d="M{plug.x - 3} {plug.y - 3}l6 6m0 -6l-6 6"
              class="fill-none stroke-ink"
              stroke-width="1.5"
            />
          </g>
        {/if}
      {/if}
    {/each}
    {#each drawn.boxes as b (b.id)}
      {@const at = plan.at.get(b.id)!}
      {@const bad = flagged.includes(b.id)}
      {@const text = texts.get(b.id)!}
      <g
        role="button"
        tabindex="0"
        aria-pressed={picked === b.id}
        transform="translate({at.x} {at.y})"
        class="box cursor-pointer"
        onclick={() => onpick(b.id)}
        onkeydown={(e) => press(e, () => onpick(b.id))}
      >
        <rect
          width={CARD.width}
          height={at.high}
          rx={b.role === 'switch' ? 0 : 6}
          class={picked === b.id ? 'fill-wash stroke-accent' : 'fill-sheet stroke-ink'}
          stroke-width={picked === b.id ? 4 : b.routes ? 3 : 1.5}
          stroke-dasharray={b.hops === null ? '5 4' : undefined}
        />
        {#if b.routes}<rect
            x="4"
            y="4"
            width={CARD.width - 8}
            height={at.high - 8}
            rx="3"
            class="fill-none stroke-ink"
            stroke-width="1"
          />{/if}
        {#each text.name as line, n (n)}
          <text x="12" y={24 + n * CARD.line} data-label class="fill-ink text-[14px] font-semibold"
            >{line}</text
          >
        {/each}
        {#each text.does as line, n (n)}
          <text x="12" y={26 + (text.name.length + n) * CARD.line} data-label class="fill-soft text-[12px]"
            >{line}</text
          >
        {/each}
        {#if bad}<path d="M{CARD.width - 20} 14l8 8m0 -8l-8 8" class="stroke-accent" stroke-width="3" />{/if}
      </g>
    {/each}
  </svg>
</div>

<style>
  .box:focus-visible rect:first-child,
  .cable:focus-visible circle {
    stroke: var(--accent);
    stroke-width: 5;
  }
  .box:focus,
  .cable:focus {
    outline: none;
  }
</style>
