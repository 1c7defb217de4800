<script lang="ts">
  import { Lightbulb, ListChecks, RotateCcw, Search, Send } from '@lucide/svelte'
  import { api, ask } from '../../lib/api'
  import { onKeys } from '../../lib/keys'
  import { namesText, radioText } from '../../lib/settings'
  import type { ChannelPlan, RadioOptions } from '../../lib/types'
  import Confirm from '../../parts/Confirm.svelte'
  import Views from '../../parts/Views.svelte'
  import type { CallState, Free } from '../../state/call.svelte'
  import { goTo } from '../../state/route.svelte'
  import AirUsersCard from './AirUsersCard.svelte'
  import AlternativesView from './AlternativesView.svelte'
  import DayCard from './DayCard.svelte'
  import NamesCard from './NamesCard.svelte'
  import NeighboursCard from './NeighboursCard.svelte'
  import PlansCard from './PlansCard.svelte'
  import PlanView from './PlanView.svelte'
  import Notes from '../ask/Notes.svelte'
  import OwnNetworks from '../walk/OwnNetworks.svelte'
  import RadiosView from './RadiosView.svelte'
  import RoomsView from './RoomsView.svelte'
  import TreeCard from './TreeCard.svelte'
  import Problems from './Problems.svelte'
  import { rules } from '../../state/rules.svelte'
  import ZigbeeCard from './ZigbeeCard.svelte'

  import { Resource } from '../../state/resource.svelte'
  import Picker from '../../parts/Picker.svelte'
  let { state: call }: { state: CallState } = $props()
  let policy = $state<ChannelPlan>('any legal channel')
  let avoidRadar = $state(false)
  let pinned = $state<string[]>([])
  let asking = $state(false)

  const offeredBlocks = new Resource<RadioOptions[]>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/options', { params: { path: { call_id: call.id } }, signal }))
  })
  const options = $derived(offeredBlocks.value ?? [])

  const free = $state<Free>({ power: true, switch_off: true, links: true, steering: true })
  const FREE = {
    power: 'powers',
    switch_off: 'surplus 2.4 GHz off',
    links: 'link bands',
    steering: 'steering',
  }
  const hold = $state({ hold_ssid_plan: false, hold_links: false, hold_zigbee: false })
  const HOLD = { hold_ssid_plan: 'names', hold_links: 'links', hold_zigbee: 'the Zigbee channel' }
  let moving = $state<string[]>([])
  const mayMove = $derived(
    !!call.job.building?.outlets.length && !Object.values(hold).some(Boolean) && !pinned.length,
  )
  function search() {
    if (call.call.own_unnamed) return
    void call.tune(policy, avoidRadar, { pinned, ...hold, move_node_ids: mayMove ? moving : [] }, free)
  }
  const changes = $derived(call.trialFigures?.changes ?? 0)
  /** In a practice house the simulated routers take it; on a real one a person sets it, by a sheet that is made at once.
   * Where one is in the middle of the work that is said, beside it. */
  async function send() {
    if (call.busy || !(await call.canBeApplied())) return
    if (call.practice) asking = true
    else {
      await call.makeSheet(call.settings, call.reason, false)
      goTo(call.id, 'change')
    }
  }
  type View = readonly [key: string, name: string]
  /** What stands under the plan, one at a time, each with its key. */
  const views = $derived<View[]>([
    ...(call.plan?.outlook ? ([['w', 'Rooms']] as View[]) : []),
    ...(call.plan ? ([['a', 'Alternatives']] as View[]) : []),
    ...(call.call.air_known ? ([['p', 'Problems']] as View[]) : []),
    ['c', 'Radios'],
    ...(call.job.nodes.length > 1 ? ([['b', 'Backhaul']] as View[]) : []),
    ['n', 'SSIDs'],
    ...(call.job.zigbee ? ([['z', 'Zigbee']] as View[]) : []),
    ['o', 'Sources'],
    ['g', 'Neighbours'],
    ['d', 'Day'],
    ['k', 'Kept'],
  ])
  const keys = onKeys({ t: search, s: () => void send(), r: () => void call.try(null) })
  const freed = $derived(
    [
      'channels',
      'widths',
      ...Object.entries(FREE).flatMap(([k, label]) => (free[k as keyof Free] ? [label] : [])),
    ].join(', '),
  )
  const kept = $derived([
    ...Object.entries(HOLD).flatMap(([k, label]) => (hold[k as keyof typeof HOLD] ? [label] : [])),
    ...pinned,
  ])
  const nodeName = (id: string) => call.job.nodes.find((n) => n.id === id)?.name ?? id
  const changed = $derived(
    call.settings.radios.filter((s) => {
      const now = call.job.settings.radios.find((x) => x.radio_id === s.radio_id)
      return JSON.stringify(now) !== JSON.stringify(s)
    }),
  )
</script>

<svelte:window onkeydown={keys} />
{#if !call.now}
  <p class="mb-3">Nothing to tune yet. Type the router and the rooms here: a plan is a scan away.</p>
  <Notes state={call} large />
{:else}
  <div class="mb-3 flex flex-wrap items-center gap-3">
    <button
      class="button"
      class:main={!call.trial}
      disabled={call.busy || call.call.own_unnamed}
      onclick={search}><Search size={18} />Find the best settings <kbd>T</kbd></button
    >
    {#if call.practice}
      <button class="button slim" disabled={call.busy} onclick={() => void call.hint()}
        ><Lightbulb size={15} />A hint for practising</button
      >
    {/if}
    <span class="grow"></span>
    <button
      class="button"
      disabled={(!call.trial && !Object.keys(call.stands).length) || call.busy}
      onclick={() => call.try(null)}><RotateCcw size={18} />Discard <kbd>R</kbd></button
    >
    {#if call.practice}
      <a class="button" href="#/call/{call.id}/change"
        ><ListChecks size={18} />Apply step by step <kbd>7</kbd></a
      >
      <button
        class="button main"
        disabled={!changes || !call.trialFigures?.lawful || call.busy}
        onclick={send}><Send size={18} />Apply to the nodes <kbd>S</kbd></button
      >
    {:else}
      <button
        class="button main"
        disabled={!changes || !call.trialFigures?.lawful || call.busy}
        onclick={send}><ListChecks size={18} />Apply step by step <kbd>S</kbd></button
      >
    {/if}
  </div>
  <details class="mb-3">
    <summary class="cursor-pointer text-sm text-soft"
      >It may choose {freed}; {policy}{avoidRadar ? ', no DFS channels' : ''}{kept.length
        ? `; kept: ${kept.join(', ')}`
        : ''}</summary
    >
    <div class="mt-2 grid gap-2 border-l-4 border-(--rule) pl-3">
      <div class="flex flex-wrap items-center gap-3">
        <label class="flex items-center gap-2"
          ><span class="text-sm text-soft">2.4 GHz channel plan</span>
          <Picker class="field" bind:value={policy} options={rules.offered.channel_plans} />
        </label>
        <label class="flex min-h-10 items-center gap-2"
          ><input type="checkbox" class="size-5" bind:checked={avoidRadar} />avoid DFS channels</label
        >
      </div>
      <fieldset class="flex flex-wrap items-center gap-x-3">
        <legend class="float-left mr-3 text-sm text-soft">Also choose</legend>
        {#each Object.entries(FREE) as [key, label] (key)}
          <label class="flex min-h-8 items-center gap-1"
            ><input type="checkbox" class="size-5" bind:checked={free[key as keyof Free]} />{label}</label
          >
        {/each}
      </fieldset>
      <fieldset class="flex flex-wrap items-center gap-x-3">
        <legend class="float-left mr-3 text-sm text-soft">Keep as I set it</legend>
        {#each Object.entries(HOLD) as [key, label] (key)}
          <label class="flex min-h-8 items-center gap-1"
            ><input
              type="checkbox"
              class="size-5"
              bind:checked={hold[key as keyof typeof HOLD]}
            />{label}</label
          >
        {/each}
      </fieldset>
      {#if call.job.building?.outlets.length}
        <fieldset class="flex flex-wrap items-center gap-x-3" disabled={!mayMove}>
          <legend class="float-left mr-3 text-sm text-soft">Can be moved</legend>
          {#each call.job.nodes as node (node.id)}
            <label class="flex min-h-8 items-center gap-1"
              ><input
                type="checkbox"
                class="size-5"
                value={node.id}
                disabled={moving.length > 1 && !moving.includes(node.id)}
                bind:group={moving}
              />{node.name}</label
            >
          {/each}
        </fieldset>
      {/if}
    </div>
  </details>
  {#if call.trialFigures && !call.trialFigures.lawful}
    <ul class="page mb-4 border-2 border-(--accent)" role="alert">
      {#each call.trialFigures.violations as violation, i (i)}<li>
          <strong>Cannot be sent:</strong>
          {violation}.
        </li>{/each}
    </ul>
  {/if}
  {#if call.plan}<PlanView state={call} plan={call.plan} />{/if}
  {#if call.call.own_unnamed}<div class="mb-4"><OwnNetworks {call} /></div>
  {:else if !call.call.air_known && !call.plan}
    <section class="page mb-4 border-2 border-(--ink)" aria-label="What is missing">
      <h2>Nobody has scanned the air here yet.</h2>
      <p class="my-2">
        Which channel is best depends on who else transmits, and how loud. Headroom and problems are worked
        out once the air has been scanned; settings can be typed below.
      </p>
      <a class="button main" href="#/call/{call.id}/listen">Scan under Listen <kbd>5</kbd></a>
    </section>
  {/if}
  <Views {views} label="The house as set, part by part">
    {#snippet children(view)}
      {#if view === 'Rooms' && call.plan?.outlook}<RoomsView state={call} outlook={call.plan.outlook} />
      {:else if view === 'Alternatives' && call.plan}<AlternativesView state={call} plan={call.plan} />
      {:else if view === 'Problems'}<Problems state={call} />
      {:else if view === 'Radios'}
        <RadiosView
          state={call}
          {options}
          {pinned}
          onpin={(id, on) => (pinned = on ? [...pinned, id] : pinned.filter((p) => p !== id))}
        />
      {:else if view === 'Backhaul'}<TreeCard state={call} />
      {:else if view === 'SSIDs'}<NamesCard state={call} />
      {:else if view === 'Zigbee'}<ZigbeeCard state={call} />
      {:else if view === 'Sources'}<AirUsersCard state={call} />
      {:else if view === 'Neighbours'}<NeighboursCard state={call} />
      {:else if view === 'Day'}<DayCard state={call} />
      {:else}<PlansCard state={call} />{/if}
    {/snippet}
  </Views>
{/if}

<Confirm
  bind:open={asking}
  title="Apply these settings to the nodes?"
  action="Apply"
  onconfirm={() => call.apply(call.settings, call.plan ? 'best setting found' : 'set by hand')}
>
  <ul class="mb-3 list-disc pl-5">
    {#each changed as s (s.radio_id)}
      <li>
        {s.radio_id}: {radioText(s)}
      </li>
    {/each}
    {#if JSON.stringify(call.settings.ssid_plan) !== JSON.stringify(call.job.settings.ssid_plan)}
      <li>{namesText(call.settings.ssid_plan)}</li>
    {/if}
    {#each call.settings.link_bands ?? [] as link (link.node_id)}
      <li>
        {nodeName(link.node_id)}: radio link at {link.band}{link.to_node_id
          ? ` to ${nodeName(link.to_node_id)}`
          : ''}
      </li>
    {/each}
    {#if call.settings.zigbee_channel !== call.job.settings.zigbee_channel}
      <li>
        Zigbee: channel {call.settings.zigbee_channel}. Some devices may need pairing again; do it when the
        household can spare them.
      </li>
    {/if}
  </ul>
  <p class="mb-2">
    Everybody on these radios drops off for a minute or two and must come back by itself; names and passwords
    are not touched.
  </p>
  <p>
    <strong>Ask first</strong> whether alarms, locks or medical aids hang on them. Powers and channels are
    held to the law of {call.job.country} as the channel table has it; local rules go before it.
  </p>
</Confirm>
