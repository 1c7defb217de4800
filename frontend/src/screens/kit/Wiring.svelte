<script lang="ts">
  import { sentence } from '../../lib/format'
  import { Plus, X } from '@lucide/svelte'
  import { innerWidth } from 'svelte/reactivity/window'
  import WiringDrawing from '../../draw/WiringDrawing.svelte'
  import { api, ask } from '../../lib/api'
  import { identifier } from '../../lib/kit'
  import { onKeys } from '../../lib/keys'
  import type { EquipmentFacts, LineEquipment, SetUp, Wiring } from '../../lib/types'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'
  import { Resource } from '../../state/resource.svelte'
  import Findings from './Findings.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'

  let { state: call }: { state: CallState } = $props()
  const answer = new Resource<SetUp>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/set-up', { params: { path: { call_id: call.id } }, signal }))
  })
  const view = $derived(answer.value)
  let picked = $state<string | null>(null)
  const NONE: Wiring = { line_equipment: [], cables: [], facts: [], same_password: null, guests_apart: null }

  /** The wiring as it is drawn now; nothing is offered before it is known. */
  const wiring = $derived<Wiring>(call.job.wiring ?? view?.wiring ?? NONE)
  const box = $derived(view?.cabling.boxes.find((b) => b.id === picked) ?? null)
  const line = $derived(wiring.line_equipment.find((b) => b.id === picked) ?? null)
  const facts = $derived<EquipmentFacts>(
    wiring.facts.find((f) => f.equipment_id === picked) ?? {
      equipment_id: picked ?? '',
      mode: null,
      sends_wifi: null,
      line_address: null,
      own_admin_password: null,
      remote_management: null,
    },
  )
  const name = (id: string) => view?.cabling.boxes.find((b) => b.id === id)?.name ?? id

  const keep = (next: Wiring, summary: string) =>
    call.change(
      () =>
        api.PUT('/api/calls/{call_id}/wiring', {
          params: { path: { call_id: call.id } },
          body: { wiring: next, revision: call.call.revision, summary: summary.slice(0, 80) },
        }),
      summary,
    )
  const joined = (c: { a_id: string; b_id: string }, a: string, b: string) =>
    (c.a_id === a && c.b_id === b) || (c.a_id === b && c.b_id === a)

  async function pick(id: string) {
    const first = picked
    if (first === null) picked = id
    else {
      picked = null
      if (first !== id && !wiring.cables.some((c) => joined(c, first, id))) {
        const cables = [...wiring.cables, { a_id: first, b_id: id }]
        await keep({ ...wiring, cables }, `plugged ${name(id)} into ${name(first)}`)
      }
    }
  }
  const unplug = (a: string, b: string) =>
    keep(
      { ...wiring, cables: wiring.cables.filter((c) => !joined(c, a, b)) },
      `unplugged ${name(b)} from ${name(a)}`,
    )
  function add(kind: LineEquipment['kind']) {
    const taken = [...(view?.cabling.boxes ?? []).map((b) => b.id)]
    const count = wiring.line_equipment.filter((b) => b.kind === kind).length
    const label = `${kind[0]!.toUpperCase()}${kind.slice(1)}${count ? ` ${count + 1}` : ''}`
    const made: LineEquipment = { id: identifier(label, taken), name: label, kind, place_id: null }
    picked = null
    return keep({ ...wiring, line_equipment: [...wiring.line_equipment, made] }, `drew ${label}`)
  }
  function addSwitch() {
    const label = `Switch ${call.job.switches.length + 1}`
    picked = null
    return call.add('switches', { name: label }, `drew ${label}`)
  }
  function remove(id: string) {
    const label = name(id)
    picked = null
    return keep(
      {
        ...wiring,
        line_equipment: wiring.line_equipment.filter((b) => b.id !== id),
        cables: wiring.cables.filter((c) => c.a_id !== id && c.b_id !== id),
        facts: wiring.facts.filter((f) => f.equipment_id !== id),
      },
      `took ${label} off the drawing`,
    )
  }
  const say = (change: Partial<EquipmentFacts>) =>
    keep(
      {
        ...wiring,
        facts: [...wiring.facts.filter((f) => f.equipment_id !== picked), { ...facts, ...change }],
      },
      `wrote down how ${name(picked!)} is set up`,
    )
  const alter = (change: Partial<LineEquipment>) =>
    keep(
      {
        ...wiring,
        line_equipment: wiring.line_equipment.map((b) => (b.id === picked ? { ...b, ...change } : b)),
      },
      `changed ${name(picked!)}`,
    )
  const answerOf = (value: string) => (value === '' ? null : value === 'yes')
  const flagged = $derived(
    (view?.findings ?? []).filter((f) => f.urgency === 'recommended').flatMap((f) => f.box_ids),
  )
  const keys = onKeys({ escape: () => (picked = null) })
</script>

{#snippet yesNo(label: string, value: boolean | null, onsay: (value: boolean | null) => void)}
  <Field {label}
    ><select
      class="field text-base text-ink"
      value={value === null ? '' : value ? 'yes' : 'no'}
      onchange={(e) => onsay(answerOf(e.currentTarget.value))}
    >
      <option value="">not known</option><option value="yes">yes</option><option value="no">no</option>
    </select></Field
  >
{/snippet}

<svelte:window onkeydown={keys} />
<section class="page" aria-label="Cabling and set-up">
  <h2>Cabling and set-up</h2>
  {#if view}
    <p class="mb-2 text-sm text-soft" aria-live="polite">
      {#if box}<strong class="text-ink">{box.name}:</strong> click what it is plugged into, or say below how
        it is set up. <span class="max-sm:hidden"><kbd>Esc</kbd> lets go.</span>
      {:else}Click a node or a piece of equipment, then the one it is plugged into. A click on a cable unplugs
        it. {sentence(view.backhaul)}.{/if}
    </p>
    <div class="mb-2 flex flex-wrap gap-2">
      {#each rules.offered.line_equipment as kind (kind)}<button class="button slim" onclick={() => add(kind)}
          ><Plus size={14} />{sentence(kind)}</button
        >{/each}
      <button class="button slim" onclick={addSwitch}><Plus size={14} />Switch</button>
    </div>
    {#if view.cabling.boxes.length}
      <WiringDrawing
        drawn={view.cabling}
        {picked}
        {flagged}
        down={(innerWidth.current ?? 1280) < 640}
        onpick={pick}
        onunplug={unplug}
      />
    {:else}<p class="text-soft">Add the nodes above first, then what stands before them.</p>{/if}
    {#if box && box.role !== 'switch'}
      <div
        class="mt-3 flex flex-wrap items-end gap-3 border-t border-(--rule) pt-3"
        aria-label="How {box.name} is set up"
        role="group"
      >
        {#if line}
          <Field label="Called"
            ><input
              class="field text-base text-ink"
              value={line.name}
              maxlength="80"
              onchange={(e) => e.currentTarget.value && alter({ name: e.currentTarget.value })}
            /></Field
          >
          <Field label="Stands at"
            ><Picker
              class="field text-base text-ink"
              value={line.place_id ?? ''}
              onchange={(e) => alter({ place_id: e.currentTarget.value || null })}
              options={call.job.places.map((p) => [p.id, p.name] as const)}
              empty="not known"
            /></Field
          >
        {/if}
        {#if box.role !== 'modem'}
          <Field label="Set so that it"
            ><Picker
              class="field text-base text-ink"
              value={facts.mode ?? ''}
              onchange={(e) => say({ mode: (e.currentTarget.value || null) as EquipmentFacts['mode'] })}
              options={rules.offered.modes.map(
                (mode) => [mode, mode === 'access point' ? 'is an access point' : mode] as const,
              )}
              empty="not known"
            /></Field
          >
          <Field label="Address from the line"
            ><input
              class="field w-40 text-base text-ink"
              value={facts.line_address ?? ''}
              maxlength="45"
              placeholder="not looked up"
              onchange={(e) => say({ line_address: e.currentTarget.value.trim() || null })}
            /></Field
          >
        {/if}
        {#if line && line.kind !== 'modem'}
          {@render yesNo('Sends its own Wi-Fi', facts.sends_wifi, (v) => say({ sends_wifi: v }))}
        {/if}
        {@render yesNo('Own admin password', facts.own_admin_password, (v) => say({ own_admin_password: v }))}
        {@render yesNo('Managed from the internet', facts.remote_management, (v) =>
          say({ remote_management: v }),
        )}
        {#if line}<button class="button slim" onclick={() => remove(line.id)}
            ><X size={14} />Take {line.name} off</button
          >{/if}
      </div>
    {/if}
    {#if call.job.nodes.length}
      <div class="mt-3 flex flex-wrap items-end gap-3 border-t border-(--rule) pt-3">
        {@render yesNo('One password on all nodes', wiring.same_password, (v) =>
          keep({ ...wiring, same_password: v }, 'wrote down whether the nodes share a password'),
        )}
        {@render yesNo('Guests have their own network', wiring.guests_apart, (v) =>
          keep({ ...wiring, guests_apart: v }, 'wrote down where guests go'),
        )}
        <p class="text-sm text-soft">Passwords themselves are never asked for or kept.</p>
      </div>
      <Findings {call} {view} />
    {/if}
  {:else}<p class="text-soft">Looking at the set-up…</p>{/if}
</section>
