<script lang="ts">
  import { Plus } from '@lucide/svelte'
  import { api, ask } from '../../lib/api'
  import { mbps, plural, prose } from '../../lib/format'
  import type { KitView, Wish } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { notices } from '../../state/notices.svelte'
  import PlacePick from '../../parts/PlacePick.svelte'

  let { call, kit }: { call: CallState; kit: KitView | null } = $props()
  const EXAMPLE = ['3 x lamp plug, attic', 'television, kitchen', 'old thing in the hall'].join('\n')
  let list = $state('')
  let placeId = $state('')
  let words = $state('')
  let wishes = $state<Wish[]>([])
  let questions = $state<string[]>([])
  const path = $derived({ params: { path: { call_id: call.id } } })
  const place = $derived(placeId || call.job.places[0]?.id || '')
  const nameOf = (id: string) => call.job.devices.find((d) => d.id === id)?.name ?? id

  async function add(event: SubmitEvent) {
    event.preventDefault()
    try {
      const found = await ask(
        api.POST('/api/calls/{call_id}/devices', { ...path, body: { text: list, place_id: place } }),
      )
      const more = found.call.job.devices.length - call.job.devices.length
      call.take(found.call)
      questions = found.questions
      list = ''
      notices.say(`Saved: ${plural(more, 'device')}.`)
    } catch (error) {
      notices.fail(error)
    }
  }
  async function tell(take: boolean) {
    if (!words.trim()) return
    try {
      const found = await ask(
        api.POST('/api/calls/{call_id}/wishes', { ...path, body: { text: words, take } }),
      )
      wishes = found.wishes
      if (found.call) {
        call.take(found.call)
        notices.say('Saved: the busy hour as described.')
        words = ''
        wishes = []
      }
    } catch (error) {
      notices.fail(error)
    }
  }
  const tick = (kind: string) => (list += `${list && !list.endsWith('\n') ? '\n' : ''}${kind}\n`)
</script>

<div class="grid grid-cols-[minmax(0,1fr)] gap-4 md:grid-cols-2">
  <form class="grid min-w-0 grid-cols-[minmax(0,1fr)] content-start gap-2" onsubmit={add}>
    <label class="grid gap-1 text-sm text-soft"
      >Devices, one a line; or a pasted list, or CSV with a header
      <textarea class="field min-h-28 text-base text-ink" rows="5" placeholder={EXAMPLE} bind:value={list}
      ></textarea></label
    >
    <div class="flex flex-wrap gap-1" role="group" aria-label="Kinds">
      {#each kit?.kinds ?? [] as kind (kind.name)}
        <button type="button" class="button slim text-sm" onclick={() => tick(kind.name)}
          ><Plus size={13} />{kind.name}</button
        >
      {/each}
    </div>
    <div class="flex flex-wrap items-end gap-2">
      <PlacePick
        {call}
        label="Used at, where a line does not say"
        bind:value={() => place, (chosen) => (placeId = chosen)}
      />
      <button class="button" disabled={!list.trim() || !place}><Plus size={16} />Add devices</button>
    </div>
    {#each questions as question, i (i)}<p class="text-sm text-accent">{question}.</p>{/each}
  </form>
  <form
    class="grid min-w-0 grid-cols-[minmax(0,1fr)] content-start gap-2"
    onsubmit={(e) => {
      e.preventDefault()
      void tell(true)
    }}
  >
    <label class="grid gap-1 text-sm text-soft"
      >The busy hour in the household's words
      <textarea
        class="field min-h-20 text-base text-ink"
        rows="3"
        placeholder="a film on the kitchen screen, a lesson in the music room and two calls in the attic"
        bind:value={words}
        onchange={() => void tell(false)}></textarea></label
    >
    {#if wishes.length}
      <table class="ledger tight text-sm" aria-label="The busy hour as understood">
        <tbody>
          {#each wishes as wish, i (i)}
            <tr
              ><td>{prose(wish.text)}</td><td
                >{#if wish.activity}{wish.activity}: {wish.device_ids.map(nameOf).join(', ')}{/if}
                {#if wish.question}<strong class="text-accent">{wish.question}</strong>{/if}</td
              ><td class="number">{wish.activity ? `${mbps(wish.down_mbps)} / ${mbps(wish.up_mbps)}` : ''}</td
              ></tr
            >
          {/each}
        </tbody>
      </table>
    {/if}
    <div class="flex gap-2">
      <button type="button" class="button slim" disabled={!words.trim()} onclick={() => void tell(false)}
        >Read it</button
      >
      <button class="button slim" disabled={!wishes.some((w) => w.device_ids.length)}>Take as demand</button>
    </div>
    {#each kit?.crowds ?? [] as crowd (crowd.node_id)}
      {#if crowd.tired}<p class="text-sm font-semibold text-accent">
          {call.job.nodes.find((n) => n.id === crowd.node_id)?.name}: {crowd.devices} devices, over its limit of
          {crowd.device_limit}.
        </p>{/if}
    {/each}
  </form>
</div>
