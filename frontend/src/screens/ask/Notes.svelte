<script lang="ts">
  import { tick, untrack } from 'svelte'
  import { api, ask } from '../../lib/api'
  import { onKeys } from '../../lib/keys'
  import { plural, prose } from '../../lib/format'
  import type { CallLine, HouseTemplate, NotesView } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { notices } from '../../state/notices.svelte'
  import { Resource } from '../../state/resource.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'

  /** Notes as they are typed at the kitchen table, each line shown as understood, taken down in one step. */
  let { state: call, large = false }: { state: CallState; large?: boolean } = $props()
  const EXAMPLE = [
    'the film stalls in the back bedroom on the television, every evening',
    'hall 2 4.5',
    'kitchen 4.2 3.1 behind hall',
    'router, hall',
    '3 x phone, kitchen',
  ].join('\n')
  const MARK: Record<string, string> = {
    complaint: '!',
    room: '□',
    node: '◉',
    hub: '◇',
    zigbee: '◇',
    device: '·',
    line: '⌁',
    floor: '≡',
    heading: '≡',
    built: '▤',
  }
  let text = $state('')
  /** A call with complaints shows them first: its notes stay small until somebody writes on, unless they are asked
   * for. */
  let open = $state(untrack(() => large || call.job.complaints.length === 0))
  let begin = $state('')
  let box = $state<HTMLTextAreaElement>()
  const path = $derived({ params: { path: { call_id: call.id } } })
  const templates = new Resource<HouseTemplate[]>((signal) =>
    ask(api.GET('/api/house-templates', { signal })),
  )
  const others = new Resource<CallLine[]>(
    async (signal) => (await ask(api.GET('/api/calls', { params: { query: {} }, signal }))).calls,
  )
  const view = new Resource<NotesView | null>(async (signal) => {
    void call.call.revision
    if (!text.trim()) return null
    await new Promise((done) => setTimeout(done, 200))
    if (signal.aborted) return null
    return ask(api.POST('/api/calls/{call_id}/notes', { ...path, body: { text, take: false }, signal }))
  })
  const notes = $derived((text.trim() && view.value?.notes) || [])
  /** The line that is being written: what it is understood as stays in sight. */
  let at = $state(0)
  let list = $state<HTMLUListElement>()
  const follow = () => (at = box?.value.slice(0, box.selectionStart).split('\n').length ?? 0)
  $effect(() => {
    void notes
    const item = list?.querySelector<HTMLElement>(`[data-line="${at}"]`) ?? list?.lastElementChild
    if (list && item instanceof HTMLElement) list.scrollTop = item.offsetTop - list.offsetTop - 120
  })
  const good = $derived(notes.filter((n) => n.kind !== null).length)
  const bad = $derived(notes.length - good)
  const options = $derived([
    ...(templates.value ?? []).map((t) => [`t:${t.name}`, t.name] as const),
    ...(others.value ?? [])
      .filter((c) => c.id !== call.id)
      .map((c) => [`c:${c.id}`, `as in: ${c.title}`] as const),
  ])

  async function take() {
    if (!text.trim()) return
    try {
      const found = await ask(api.POST('/api/calls/{call_id}/notes', { ...path, body: { text, take: true } }))
      if (found.call) {
        call.take(found.call)
        const count = found.notes.filter((n) => n.kind !== null).length
        notices.say(`Saved: ${plural(count, 'note')}.`)
      }
      text = found.left
      box?.focus()
    } catch (error) {
      notices.fail(error)
    }
  }
  async function insert(chosen: string) {
    begin = chosen
    await tick()
    begin = ''
    try {
      const found = chosen.startsWith('t:')
        ? templates.value?.find((t) => t.name === chosen.slice(2))?.notes
        : (
            await ask(
              api.GET('/api/calls/{call_id}/notes', {
                params: { path: { call_id: Number(chosen.slice(2)) } },
              }),
            )
          ).text
      if (found) text = text.trim() ? `${text.trimEnd()}\n${found}` : found
      box?.focus()
    } catch (error) {
      notices.fail(error)
    }
  }
  const keys = onKeys({ m: () => box?.focus() })
</script>

<svelte:window onkeydown={keys} />
<section class="page" aria-label="Notes">
  <div class="grid grid-cols-[minmax(0,1fr)] gap-x-6 gap-y-3 {open ? 'lg:grid-cols-2' : ''}">
    <form
      class="grid min-w-0 content-start gap-2"
      onsubmit={(e) => {
        e.preventDefault()
        void take()
      }}
    >
      <label class="grid gap-1"
        ><span class="text-xl font-semibold">Notes <kbd>M</kbd></span>
        <span class="text-sm text-soft"
          >What is complained about, the rooms, the router and the devices: a thing on each line, as you would
          write it.</span
        >
        <textarea
          class="field font-mono leading-7 {open ? 'min-h-56' : ''}"
          rows={open ? 9 : 1}
          bind:this={box}
          bind:value={text}
          placeholder={open ? EXAMPLE : EXAMPLE.split('\n')[0]}
          onfocus={() => (open = true)}
          spellcheck="false"
          maxlength="20000"
          oninput={follow}
          onkeyup={follow}
          onclick={follow}
          onkeydown={(e) => {
            if (e.key === 'Enter' && (e.ctrlKey || e.metaKey)) {
              e.preventDefault()
              void take()
            }
          }}></textarea></label
      >
      <div class="flex flex-wrap items-end gap-2" class:hidden={!open}>
        <button class="button main" disabled={!good}
          >Take down {good ? plural(good, 'line') : 'the notes'} <kbd>Ctrl ↵</kbd></button
        >
        <span class="grow"></span>
        <Field label="Begin with" beside
          ><Picker
            class="field slim max-w-56 text-ink"
            value={begin}
            {options}
            empty="a usual house, or a call…"
            onchange={(e) => void insert(e.currentTarget.value)}
          /></Field
        >
      </div>
    </form>
    <div class="min-w-0" aria-live="polite">
      {#if notes.length || open}<h3 class="mb-1">
          {notes.length ? 'As understood' : 'What lines look like'}
        </h3>{/if}
      {#if notes.length}
        <ul class="max-h-72 overflow-y-auto text-sm" aria-label="Notes as understood" bind:this={list}>
          {#each notes as note (note.line_number)}
            <li
              class="flex gap-2 border-b border-l-4 border-(--rule) py-1 pl-1"
              class:border-l-(--accent)={note.line_number === at}
              class:border-l-transparent={note.line_number !== at}
              data-line={note.line_number}
            >
              <span class="w-4 shrink-0 text-center text-soft" aria-hidden="true"
                >{note.kind ? (MARK[note.kind] ?? '·') : '?'}</span
              >
              <span class="min-w-0">
                {#if note.kind}{prose(note.said)}.
                  {#if note.question}<span class="text-accent">Ask: {note.question}.</span>{/if}
                {:else}<span class="text-accent"><strong>{note.line}</strong>: {prose(note.said)}.</span>{/if}
              </span>
            </li>
          {/each}
        </ul>
        {#if bad}<p class="mt-1 text-sm text-soft">
            {plural(bad, 'line')} not understood: they stay here until they are put right.
          </p>{/if}
      {:else if open}
        <dl class="grid gap-x-4 text-sm sm:grid-cols-[auto_minmax(0,1fr)] sm:gap-y-1">
          <dt class="font-mono">calls break up in the study, twice a week</dt>
          <dd class="text-soft max-sm:mb-1">a complaint</dd>
          <dt class="font-mono">upstairs</dt>
          <dd class="text-soft max-sm:mb-1">the floor of the rooms below it</dd>
          <dt class="font-mono">kitchen 4.2 3.1 behind hall</dt>
          <dd class="text-soft max-sm:mb-1">a room, with its size if you have it</dd>
          <dt class="font-mono">mesh node, landing, over the air</dt>
          <dd class="text-soft max-sm:mb-1">a router or node</dd>
          <dt class="font-mono">3 x phone, living room</dt>
          <dd class="text-soft max-sm:mb-1">devices, and where they are used</dd>
          <dt class="font-mono">hub, hall, channel 15</dt>
          <dd class="text-soft max-sm:mb-1">the Zigbee hub</dd>
          <dt class="font-mono">zigbee motion sensor, landing</dt>
          <dd class="text-soft max-sm:mb-1">a device on it</dd>
          <dt class="font-mono">subscription 200/20</dt>
          <dd class="text-soft max-sm:mb-1">what the household pays for, down and up</dd>
        </dl>
        <p class="mt-2 text-sm text-soft">
          A room or device that a line names is made on the spot. One undo takes all of it back.
        </p>
      {/if}
    </div>
  </div>
</section>
