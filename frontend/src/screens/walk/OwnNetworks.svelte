<script lang="ts">
  import { api, ask } from '../../lib/api'
  import { dbm, plural } from '../../lib/format'
  import type { OwnNamesView } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { notices } from '../../state/notices.svelte'
  import { Resource } from '../../state/resource.svelte'

  /** Which of the networks heard is the household's own: one choice tells every radio's address and channel. */
  let { call }: { call: CallState } = $props()
  const path = $derived({ params: { path: { call_id: call.id } } })
  const answer = new Resource<OwnNamesView>((signal) => {
    void call.call.revision
    return ask(api.GET('/api/calls/{call_id}/own-names', { ...path, signal }))
  })
  const view = $derived(answer.value)
  let all = $state(false)
  const shown = $derived((view?.names ?? []).slice(0, all ? undefined : 3))
  const placeOf = (id: string) => call.job.places.find((p) => p.id === id)?.name ?? id
  async function take(ssid: string) {
    try {
      const found = await ask(api.POST('/api/calls/{call_id}/own-names', { ...path, body: { ssid } }))
      call.take(found.call)
      const doubtful = found.found.filter((f) => !f.certain).map((f) => f.radio_id)
      notices.say(
        `Saved: ${ssid} is the household’s; ${found.found.map((f) => `${f.radio_id} on ${f.channel}`).join(', ')}.` +
          (doubtful.length
            ? ` Which is which is not certain for ${doubtful.join(' and ')}: compare the addresses under Kit.`
            : ''),
      )
    } catch (error) {
      notices.fail(error)
    }
  }
</script>

{#if !call.practice && view?.unnamed && (view.names.length || call.call.own_unnamed)}
  <section class="page border-2 border-ink" aria-label="The household’s network">
    <h2>Which network is the household’s?</h2>
    <p class="mb-2 text-sm text-soft">
      Until somebody says so every network counts as a neighbour. Its radios’ addresses, channels and widths
      are then taken as they were heard; where they are loudest tells which is which.
    </p>
    <ul class="grid gap-1">
      {#each shown as name (name.ssid)}
        <li class="flex flex-wrap items-center gap-x-3 border-t border-(--rule) py-1">
          <button class="button" onclick={() => take(name.ssid)}>{name.ssid}</button>
          <span class="text-sm text-soft"
            >{plural(name.radios, 'radio')}, loudest {dbm(name.loudest_dbm)} at {placeOf(name.place_id)}</span
          >
        </li>
      {/each}
    </ul>
    {#if !view.names.length}
      <p>
        No network with a name was heard on this kit’s bands. Scan beside the router, or type its radios’
        addresses under <a class="underline" href="#/call/{call.id}/kit">Kit</a> as the router states them.
      </p>
    {/if}
    {#if view.names.length > shown.length}<button class="button slim mt-2" onclick={() => (all = true)}
        >All {view.names.length} names</button
      >{/if}
  </section>
{/if}
