<script lang="ts">
  import { X } from '@lucide/svelte'
  import type { Building, HouseView } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import Field from '../../parts/Field.svelte'
  import NumberCell from '../../parts/NumberCell.svelte'

  interface Props {
    call: CallState
    building: Building
    view: HouseView | null
    storey: number
  }
  let { call, building, view, storey }: Props = $props()
  const roomOf = (id: string) => building.rooms?.find((r) => r.id === id)
  const openings = $derived((building.openings ?? []).filter((o) => roomOf(o.room_id)?.storey === storey))
  const obstacles = $derived((building.obstacles ?? []).filter((o) => o.storey === storey))
  const outlets = $derived((building.outlets ?? []).filter((o) => o.storey === storey))
</script>

{#snippet remove(what: string, act: () => unknown)}
  <button class="button slim" aria-label="Remove {what}" onclick={act}><X size={14} /></button>
{/snippet}

<section class="page" aria-label="What stands here">
  <h2 class="mb-2">What stands here</h2>
  <ul class="grid gap-1 text-sm">
    {#each obstacles as o (o.id)}
      <li class="flex items-center gap-1">
        <span class="grow">{o.kind}</span>
        <Field label="°" beside
          ><NumberCell
            class="field slim w-16 text-ink"
            step="5"
            min="-360"
            max="360"
            aria-label="Heading of {o.id}"
            value={o.heading_deg ?? 0}
            onpick={(n) =>
              call.alter(
                'obstacles',
                o.id,
                {
                  heading_deg: n,
                },
                `turned ${o.id}`,
              )}
          /></Field
        >
        <Field label="dB" beside
          ><NumberCell
            class="field slim w-14 text-ink"
            min="0"
            max="40"
            step="1"
            aria-label="Loss of {o.id}"
            value={o.loss_db ?? view?.obstacle_kinds[o.kind] ?? 0}
            onpick={(n) => call.alter('obstacles', o.id, { loss_db: n }, `changed the loss of ${o.id}`)}
          /></Field
        >
        {@render remove(o.id, () => call.remove('obstacles', o.id, `removed ${o.id}`))}
      </li>
    {/each}
    {#each openings as o (o.id)}
      <li class="flex items-center gap-1">
        <span class="grow">{o.kind} <span class="text-soft">{roomOf(o.room_id)?.name}</span></span>
        <Field label="wide, m" beside
          ><NumberCell
            class="field slim w-16 text-ink"
            min="0.1"
            max="20"
            step="0.05"
            aria-label="Width of {o.id}"
            value={o.width_m}
            onpick={(n) => call.alter('openings', o.id, { width_m: n }, `changed the width of ${o.id}`)}
          /></Field
        >
        {@render remove(o.id, () => call.remove('openings', o.id, `removed ${o.id}`))}
      </li>
    {/each}
    {#each outlets as o (o.id)}
      <li class="flex items-center gap-1">
        <span class="grow">{o.name}</span>
        <Field label="" beside
          ><input
            type="checkbox"
            class="size-5"
            checked={o.power ?? true}
            onchange={(e) =>
              call.alter('outlets', o.id, { power: e.currentTarget.checked }, `changed ${o.name}`)}
          />power</Field
        >
        <Field label="cables" beside
          ><NumberCell
            class="field slim w-14 text-ink"
            min="0"
            max="16"
            aria-label="Cables at {o.name}"
            value={o.cable_drops ?? 0}
            onpick={(n) => call.alter('outlets', o.id, { cable_drops: n }, `changed the cables at ${o.name}`)}
          /></Field
        >
        {@render remove(o.name, () => call.remove('outlets', o.id, `removed ${o.name}`))}
      </li>
    {/each}
    {#if !obstacles.length && !openings.length && !outlets.length}
      <li class="text-soft">Nothing yet: choose what to put on the plan, then click where it is.</li>
    {/if}
  </ul>
</section>
