<script lang="ts">
  import { AlertDialog } from 'bits-ui'
  import { api, ask, Failure } from '../../lib/api'
  import { prose, when } from '../../lib/format'
  import type { HistoryStep } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { notices } from '../../state/notices.svelte'
  import { Resource } from '../../state/resource.svelte'

  let { call }: { call: CallState } = $props()
  const FIRST = 12
  const path = $derived({ path: { call_id: call.id } })
  const answer = new Resource<{ steps: HistoryStep[]; more: boolean }>((signal) => {
    void call.call.revision
    earlier = []
    return ask(api.GET('/api/calls/{call_id}/history', { params: path, signal }))
  })
  let earlier = $state<HistoryStep[]>([])
  let moreBefore = $state(true)
  let all = $state(false)
  const now = $derived(call.call.revision)
  const lines = $derived([...(answer.value?.steps ?? []), ...earlier])
  const shown = $derived(all ? lines : lines.slice(0, FIRST))
  /** Steps on nodes are not stepped over: what lies behind one is out of reach. */
  const blocked = $derived((n: number) => lines.some((l) => l.done_outside && l.live && l.number > n))
  /** What others did since a step that one wants back to, in words; asked about before it goes too. */
  let asking = $state<{ number: number; others: string } | null>(null)

  async function goBack(number: number, also: boolean | null) {
    asking = null
    try {
      const body = { revision: now, also_others: also }
      const params = { path: { call_id: call.id, number } }
      call.take(await ask(api.POST('/api/calls/{call_id}/history/{number}', { params, body })))
      notices.say(`Back at step ${number}.`)
    } catch (error) {
      if (error instanceof Failure && error.body.field === 'also_others')
        asking = { number, others: error.body.received }
      else {
        if (error instanceof Failure && error.status === 409) await call.reload().catch(() => {})
        notices.fail(error)
      }
    }
  }
  async function showEarlier() {
    all = true
    const last = lines.at(-1)?.number
    if (lines.length > FIRST && shown.length < lines.length) return
    try {
      const query = { before: last }
      const found = await ask(api.GET('/api/calls/{call_id}/history', { params: { ...path, query } }))
      earlier = [...earlier, ...found.steps]
      moreBefore = found.more
    } catch (error) {
      notices.fail(error)
    }
  }
</script>

<section class="page no-print" aria-label="History">
  <h2>History: every step of this call</h2>
  <p class="mb-2 text-sm text-soft">
    Go back to any step: that is a step of its own, and nothing is ever lost. What was done on nodes is taken
    back on the nodes, under Change.
  </p>
  <ol>
    {#each shown as line (line.number)}
      <li
        class="flex flex-wrap items-center gap-x-3 border-b border-(--rule) py-1 sm:flex-nowrap"
        class:font-bold={line.number === now}
        class:opacity-60={!line.live}
        aria-current={line.number === now ? 'step' : undefined}
      >
        <span class="figure w-10 shrink-0 text-right">{line.number}</span>
        <span class="w-44 shrink-0 text-sm text-soft">{when(line.made_at)}</span>
        <span class="min-w-0 grow"
          >{prose(line.summary)}{#if !line.live}<span class="ml-2 text-sm">taken back</span
            >{/if}{#if line.done_outside}<span class="ml-2 text-sm text-soft">on the nodes</span
            >{/if}{#if line.author !== 'this computer'}<span class="ml-2 text-sm text-soft"
              >by {line.author}</span
            >{/if}</span
        >
        {#if line.number === now}<span class="shrink-0">you are here</span>
        {:else}<button
            class="button slim shrink-0"
            disabled={call.busy || blocked(line.number)}
            title={blocked(line.number) ? 'Something was done on nodes in between' : undefined}
            onclick={() => goBack(line.number, null)}>Go back to {line.number}</button
          >{/if}
      </li>
    {/each}
  </ol>
  {#if lines.length > shown.length || (answer.value?.more && moreBefore)}<button
      class="button slim mt-2"
      onclick={showEarlier}>Show earlier steps</button
    >{/if}
</section>

<AlertDialog.Root open={asking !== null} onOpenChange={(open) => !open && (asking = null)}>
  <AlertDialog.Portal>
    <AlertDialog.Overlay class="fixed inset-0 z-40 bg-black/50" />
    <AlertDialog.Content
      class="fixed top-1/2 left-1/2 z-50 w-[min(36rem,94vw)] -translate-x-1/2 -translate-y-1/2 rounded border-2 border-ink bg-sheet p-5"
    >
      <AlertDialog.Title class="text-xl font-bold">Others have worked on this call since</AlertDialog.Title>
      <AlertDialog.Description class="my-3">{asking?.others}. Take that back too?</AlertDialog.Description>
      <div class="flex flex-wrap justify-end gap-2">
        <AlertDialog.Cancel class="button">Cancel <kbd>Esc</kbd></AlertDialog.Cancel>
        <button class="button" onclick={() => asking && goBack(asking.number, true)}>Take it back too</button>
        <button class="button main" onclick={() => asking && goBack(asking.number, false)}>Keep it</button>
      </div>
    </AlertDialog.Content>
  </AlertDialog.Portal>
</AlertDialog.Root>
