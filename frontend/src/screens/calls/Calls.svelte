<script lang="ts">
  import {
    Archive,
    CircleCheck,
    CopyPlus,
    FileOutput,
    FilePlus2,
    GraduationCap,
    FolderInput,
    RotateCcw,
    Trash2,
  } from '@lucide/svelte'
  import { api, ask } from '../../lib/api'
  import { plural, when } from '../../lib/format'
  import { onKeys } from '../../lib/keys'
  import type { CallLine, ShareView } from '../../lib/types'
  import Confirm from '../../parts/Confirm.svelte'
  import { notices } from '../../state/notices.svelte'
  import { Resource } from '../../state/resource.svelte'
  import { goTo } from '../../state/route.svelte'
  import NewCall from './NewCall.svelte'
  import NewPractice from './NewPractice.svelte'
  import FileDrop from '../../parts/FileDrop.svelte'

  let calls = $state<CallLine[] | null>(null)
  let total = $state(0)
  let search = $state('')
  let shown = $state<'' | CallLine['state']>('')
  let adding = $state(false)
  let practising = $state(false)
  let doomed = $state<CallLine | null>(null)
  let asking = $state(false)
  let searchBox = $state<HTMLInputElement>()
  let fileBox = $state<ReturnType<typeof FileDrop>>()

  // A paired phone sees its own call, and changes nothing in the list.
  const share = new Resource<ShareView | null>(
    (signal) => ask(api.GET('/api/share', { signal })),
    () => {},
  )
  const phone = $derived((share.value?.you ?? null) !== null)

  let asked = 0
  async function load(skip = 0) {
    // Answers may come in another order than they were asked for: only the last one counts.
    const mine = ++asked
    try {
      const query = { search, skip, ...(shown ? { state: shown } : {}) }
      const found = await ask(api.GET('/api/calls', { params: { query } }))
      if (mine !== asked) return
      calls = skip ? [...(calls ?? []), ...found.calls] : found.calls
      total = found.total
    } catch (error) {
      notices.fail(error)
    }
  }
  $effect(() => {
    void search
    void shown
    void load()
  })

  async function importFile(file: File | undefined) {
    if (!file) return
    try {
      const body = await file.text()
      const answer = await ask(
        api.POST('/api/calls/import', { body: body as never, bodySerializer: (b: unknown) => b as string }),
      )
      goTo(answer.id, 'ask')
    } catch (error) {
      notices.fail(error)
    }
  }

  async function setState(call: CallLine, state: CallLine['state']) {
    try {
      await ask(
        api.POST('/api/calls/{call_id}/state', { params: { path: { call_id: call.id } }, body: { state } }),
      )
      notices.say(`${call.title}: ${state}.`)
      await load()
    } catch (error) {
      notices.fail(error)
    }
  }
  async function nextVisit(call: CallLine) {
    try {
      const made = await ask(
        api.POST('/api/calls/{call_id}/copy', { params: { path: { call_id: call.id } } }),
      )
      goTo(made.id, 'ask')
    } catch (error) {
      notices.fail(error)
    }
  }
  async function remove() {
    if (!doomed) return
    try {
      await ask(api.DELETE('/api/calls/{call_id}', { params: { path: { call_id: doomed.id } } }))
      notices.say(`Removed: ${doomed.title}.`)
      await load()
    } catch (error) {
      notices.fail(error)
    }
  }
  const keys = onKeys({
    n: () => (adding = true),
    p: () => (practising = true),
    i: () => fileBox?.open(),
    '/': () => searchBox?.focus(),
  })
</script>

<svelte:window onkeydown={keys} />
<main
  class="mx-auto max-w-5xl p-4 sm:p-6"
  ondragover={(e) => e.preventDefault()}
  ondrop={(e) => {
    e.preventDefault()
    void importFile(e.dataTransfer?.files[0])
  }}
>
  <header class="mb-5 flex flex-wrap items-end gap-3 border-b-2 border-ink pb-3">
    <div class="grow">
      <h1 class="text-3xl">Even Static</h1>
      <p class="text-soft">Measure the radio in a house, tune it, prove it.</p>
    </div>
    {#if !phone}
      <button class="button main" onclick={() => (adding = true)}
        ><FilePlus2 size={18} />New call <kbd>N</kbd></button
      >
      <button class="button" onclick={() => (practising = true)}
        ><GraduationCap size={18} />New practice house <kbd>P</kbd></button
      >
      <FileDrop
        bind:this={fileBox}
        class="button"
        label="Job file"
        accept=".json,application/json"
        onfile={importFile}><FolderInput size={18} />Import a job file <kbd>I</kbd></FileDrop
      >
    {/if}
  </header>

  {#if adding && !phone}
    <NewCall onclose={() => (adding = false)} />
  {/if}
  {#if practising && !phone}
    <NewPractice onclose={() => (practising = false)} />
  {/if}

  <div class="mb-3 flex flex-wrap items-center gap-2">
    <label class="flex min-w-0 grow items-center gap-2">
      <span class="text-soft">Find</span>
      <input
        class="field min-w-0 grow"
        bind:this={searchBox}
        bind:value={search}
        type="search"
        placeholder="Title or complaint"
      />
      <kbd>/</kbd>
    </label>
    <select class="field" aria-label="Which calls" bind:value={shown}>
      <option value="">open and closed</option>
      <option value="open">open</option>
      <option value="closed">closed</option>
      <option value="archived">archived</option>
    </select>
  </div>

  {#if calls === null}
    <p class="text-soft">Opening the calls…</p>
  {:else if calls.length === 0}
    <p class="page">
      {search ? 'No call holds this text.' : 'No calls yet. Open one, or drop a job file here.'}
    </p>
  {:else}
    <ul>
      {#each calls as call (call.id)}
        <li class="page relative mb-3 flex flex-wrap items-start gap-x-4 gap-y-2 hover:bg-wash">
          <div class="min-w-0 grow basis-80">
            <a class="text-lg font-bold underline-offset-4 hover:underline" href="#/call/{call.id}/ask">
              <span class="absolute inset-0"></span>{call.title}
            </a>
            <p class="line-clamp-2 text-soft">{call.complaint || 'No complaint written down yet.'}</p>
          </div>
          <p class="text-sm text-soft">
            {#if call.kind === 'practice'}<strong class="text-accent">practice house</strong>;{/if}
            {#if call.state !== 'open'}<strong>{call.state}</strong>;{/if}
            {plural(call.scans, 'scan')}, {plural(call.changes, 'change')}<br />{call.country}, last worked on {when(
              call.updated_at,
              call.time_zone,
            )}
          </p>
          <span class="z-10 flex flex-wrap gap-2" class:hidden={phone}>
            {#if call.state === 'open'}
              <button
                class="button slim"
                aria-label="Close {call.title}"
                title="Close: the work is done"
                onclick={() => setState(call, 'closed')}><CircleCheck size={16} /></button
              >
            {:else}
              <button
                class="button slim"
                aria-label="Reopen {call.title}"
                title="Reopen"
                onclick={() => setState(call, 'open')}><RotateCcw size={16} /></button
              >
            {/if}
            {#if call.state !== 'archived'}
              <button
                class="button slim"
                aria-label="Archive {call.title}"
                title="Archive: out of the list"
                onclick={() => setState(call, 'archived')}><Archive size={16} /></button
              >
            {/if}
            <button
              class="button slim"
              aria-label="Next visit of {call.title}"
              title="Copy as the next visit"
              onclick={() => nextVisit(call)}><CopyPlus size={16} /></button
            >
            <a
              class="button slim"
              href="/api/calls/{call.id}/export"
              download
              aria-label="Export {call.title} as a job file"><FileOutput size={16} /></a
            >
            <button
              class="button slim"
              aria-label="Remove {call.title}"
              onclick={() => {
                doomed = call
                asking = true
              }}><Trash2 size={16} /></button
            >
          </span>
        </li>
      {/each}
    </ul>
    {#if total > calls.length}
      <p class="flex flex-wrap items-center gap-3">
        <button class="button" onclick={() => load(calls?.length)}>Show more calls</button>
        <span class="text-soft">{calls.length} of {total} are shown; a search finds the others.</span>
      </p>
    {/if}
  {/if}
</main>

<Confirm bind:open={asking} title="Remove this call?" action="Remove for good" onconfirm={remove}>
  {doomed?.title} goes with its readings and its history. Export it first if you may need it again.
</Confirm>
