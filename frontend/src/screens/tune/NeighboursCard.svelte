<script lang="ts">
  import { Printer } from '@lucide/svelte'
  import { api, ask } from '../../lib/api'
  import { dbm, headroom, percent, prose } from '../../lib/format'
  import type { NeighboursView } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { notices } from '../../state/notices.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  let { state: call }: { state: CallState } = $props()
  let view = $state<NeighboursView | null>(null)
  let open = $state(false)
  let shown = $state<number | null>(null)

  $effect(() => {
    if (!open) return
    const controller = new AbortController()
    ask(
      api.POST('/api/calls/{call_id}/neighbours', {
        params: { path: { call_id: call.id } },
        body: { settings: call.settings, stands: [] },
        signal: controller.signal,
      }),
    )
      .then((found) => (view = found))
      .catch((error) => error.name !== 'AbortError' && notices.fail(error))
    return () => controller.abort()
  })
</script>

<article class="page" aria-label="Neighbours">
  <div class="flex flex-wrap items-baseline gap-3">
    <h3 class="grow">Neighbours</h3>
    <button class="button slim" aria-expanded={open} onclick={() => (open = !open)}
      >{open ? 'Hide' : 'Who takes what, and what to ask'}</button
    >
  </div>
  {#if open && !view}<p class="text-soft">Trying their moves…</p>{/if}
  {#if open && view}
    {#if view.requests.length}
      <p class="mt-2">
        {view.tried} moves of the dearest neighbours were tried under this setting; these would help the house and
        crowd the neighbour no more than now:
      </p>
      <ul class="grid gap-2 py-2">
        {#each view.requests as r, i (r.letter + r.to_channel)}
          <li class="border-t border-(--rule) pt-2">
            <div class="flex flex-wrap items-center gap-2">
              <span class="grow"
                ><strong>{r.letter}</strong>, {r.band}: from {r.from_channel} to
                <strong>{r.to_channel}</strong>; problems {r.problems_before} to {r.problems_after}, headroom {headroom(
                  r.headroom_before,
                )} to
                {headroom(r.headroom_after)}; others on its channel {percent(r.crowd_before)} to
                {percent(r.crowd_after)}</span
              >
              <button
                class="button slim"
                aria-expanded={shown === i}
                onclick={() => (shown = shown === i ? null : i)}>A note for them</button
              >
            </div>
            {#if shown === i}
              <pre class="mt-2 max-w-prose font-sans whitespace-pre-wrap" aria-label="The note">{prose(
                  r.note,
                )}</pre>
              <button class="button slim no-print" onclick={() => window.print()}
                ><Printer size={16} />Print</button
              >
            {/if}
          </li>
        {/each}
      </ul>
    {:else}
      <p class="mt-2">
        No single neighbour's move would help ({view.tried} tried): it is not for them to change.
      </p>
    {/if}
    {#if view.shared}
      {@const s = view.shared}
      <p class="my-2" aria-label="A shared plan">
        <strong>A plan shared with willing neighbours</strong>:
        {s.moves.map((m) => `${m.letter} from ${m.from_channel} to ${m.to_channel} at ${m.band}`).join(', ')}.
        Problems
        {s.problems_now}, with their moves {s.problems_moved}, with own channels chosen anew beside them
        <strong>{s.problems_best}</strong>; headroom {headroom(s.headroom_now)}, {headroom(s.headroom_moved)},
        <strong>{headroom(s.headroom_best)}</strong>. None of them is more crowded than now.
      </p>
    {/if}
    <Ledger
      label="Neighbours that matter"
      heads={['Neighbour', 'On', ['Loudest', 'figure'], ['Takes here', 'figure'], ['Taken there', 'figure']]}
    >
      {#each view.neighbours as n (n.bssid)}
        <tr
          ><td>{n.letter}</td><td>{n.band}, {n.channel}/{n.width_mhz}</td><td class="number"
            >{dbm(n.rssi_dbm)}</td
          ><td class="number figure">{percent(n.takes_fraction)}</td><td class="number"
            >{percent(n.given_fraction)}</td
          ></tr
        >
      {/each}
    </Ledger>
    <p class="text-sm text-soft">
      Shares of a second, summed over own radios. Their names stay out of reports; a note names only the one
      it is for.
    </p>
  {/if}
</article>
