<script lang="ts">
  import { Smartphone } from '@lucide/svelte'
  import { api, ask } from '../lib/api'
  import type { ShareView } from '../lib/types'
  import { notices } from '../state/notices.svelte'

  let { callId }: { callId: number } = $props()
  let share = $state<ShareView | null>(null)
  let open = $state(false)
  let may = $state<'measure' | 'work'>('measure')
  const LOOK_AGAIN_MS = 4000
  const path = $derived({ params: { path: { call_id: callId } } })
  const mine = $derived((share?.phones ?? []).filter((p) => p.call_id === callId))

  async function look() {
    try {
      share = await ask(api.GET('/api/share', { params: { query: { call_id: callId } } }))
    } catch {
      share = null
    }
  }
  $effect(() => {
    void look()
    const timer = setInterval(() => open && void look(), LOOK_AGAIN_MS)
    return () => clearInterval(timer)
  })
  async function turn(request: () => Promise<{ data?: ShareView; error?: unknown }>, said: string) {
    try {
      share = await ask(request())
      notices.say(said)
    } catch (error) {
      notices.fail(error)
    }
  }
  const offer = () =>
    turn(
      () => api.POST('/api/calls/{call_id}/pairing', { ...path, body: { may } }),
      'The code is shown: type it on the phone.',
    )
</script>

{#if share?.shared && !share.you}
  <button class="button slim no-print" aria-expanded={open} onclick={() => (open = !open)}
    ><Smartphone size={16} /><span class="max-sm:sr-only">Phone</span>
    {#if mine.length}<span class="figure">{mine.length}</span>{/if}</button
  >
  {#if open}
    <section
      class="page no-print absolute top-full right-4 z-40 grid w-[min(26rem,94vw)] gap-3 border-2! border-ink! shadow-lg"
      aria-label="Phones of this call"
    >
      <h2>A phone for this call</h2>
      <p class="text-soft">
        On the same network, open <strong class="text-ink">{share.addresses.join(' or ')}</strong> and type the
        code. The phone sees this call only.
      </p>
      {#if share.code}
        <p class="text-center">
          <span class="figure text-5xl" data-figure="code"
            >{share.code.slice(0, 3)} {share.code.slice(3)}</span
          >
          <br />{share.may === 'measure' ? 'may look and measure' : 'may work on the whole call'}
        </p>
      {/if}
      <fieldset class="flex flex-wrap gap-x-4 gap-y-1">
        <legend class="text-sm text-soft">It may</legend>
        <label class="flex items-center gap-2"
          ><input class="accent-(--accent)" type="radio" bind:group={may} value="measure" /> measure</label
        >
        <label class="flex items-center gap-2"
          ><input class="accent-(--accent)" type="radio" bind:group={may} value="work" /> do all the work on this
          call</label
        >
      </fieldset>
      <div class="flex flex-wrap gap-2">
        <button class="button main" onclick={offer}>{share.code ? 'Show another code' : 'Show a code'}</button
        >
        {#if mine.length || share.code}
          <button
            class="button"
            onclick={() =>
              turn(
                () => api.DELETE('/api/calls/{call_id}/pairing', path),
                'Phones can no longer open this call.',
              )}>Disconnect its phones</button
          >
        {/if}
      </div>
      {#if mine.length}
        <p>
          Paired: {mine.map((p) => `${p.name} (${p.may === 'measure' ? 'measures' : 'works'})`).join(', ')}
        </p>
      {/if}
    </section>
  {/if}
{/if}
