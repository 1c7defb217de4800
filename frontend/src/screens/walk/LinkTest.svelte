<script lang="ts">
  import { Gauge, Square } from '@lucide/svelte'
  import { fixed } from '../../lib/format'
  import { runOnce } from '../../lib/linktest'
  import type { LinkView, RunSamples } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import { newKey, timestamp, waiting } from '../../state/waiting.svelte'

  interface Props {
    call: CallState
    placeId: string
    link: LinkView | null
    running: boolean
  }
  let { call, placeId, link, running = $bindable() }: Props = $props()
  const RUNS = 3
  let told = $state('')
  let share = $state(0)
  let failed = $state('')
  let stop: AbortController | null = null
  const place = $derived(call.job.places.find((p) => p.id === placeId)?.name)
  const tests = $derived(
    call.job.speed_tests
      .filter((t) => t.place_id === placeId && t.reach === 'this computer')
      .sort((a, b) => Date.parse(b.tested_at) - Date.parse(a.tested_at)),
  )

  export async function start() {
    if (running) {
      stop?.abort()
      return
    }
    running = true
    failed = ''
    stop = new AbortController()
    const at = placeId
    const runs: RunSamples[] = []
    try {
      for (let i = 0; i < RUNS; i++)
        runs.push(
          await runOnce(stop.signal, (what, part) => {
            told = `run ${i + 1} of ${RUNS}: ${what}`
            share = (i + part) / RUNS
          }),
        )
    } catch {
      failed = stop.signal.aborted ? 'Stopped.' : 'The connection was lost during the test.'
    }
    running = false
    share = 0
    if (runs.length) {
      if (runs.length < RUNS) failed += ` ${runs.length} whole runs are kept.`
      const body = { key: newKey(), place_id: at, tested_at: timestamp(), runs }
      await waiting.add(call.id, { kind: 'link test', body }, (c) => c.id === call.id && call.take(c))
    }
  }
  const middle = (values: readonly number[] | undefined) =>
    values?.length ? [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)]! : null
</script>

<div class="grid grid-cols-[minmax(0,1fr)] gap-3" aria-label="Link test" role="group">
  <p class="text-sm text-soft">
    Between this browser and the technician's computer, in {RUNS} runs of 6 seconds: the Wi-Fi alone, without the
    line. Mobile data off; hold the phone where {place ? `“${place}”` : 'the device'} is used.
  </p>
  {#if link?.on_this_computer}
    <p class="rounded border-2 border-(--strong-rule) px-3 py-2 text-sm">
      This browser runs on that computer itself, so no radio is on the way. Open the shared address on the
      phone{link.sharing ? '' : ' (start with --share)'}. A test made here is kept, but not counted as Wi-Fi.
    </p>
  {/if}
  <button class="button main min-h-16! justify-center text-lg" onclick={start}
    >{#if running}<Square size={20} />Stop{:else}<Gauge size={20} />Test the link{/if}
    <kbd>Space</kbd></button
  >
  {#if running}
    <div role="progressbar" aria-valuenow={Math.round(share * 100)} aria-label="Link test">
      <progress class="w-full" max="1" value={share}></progress>
      <p class="text-center">{told}</p>
    </div>
  {/if}
  {#if failed}<p class="font-semibold text-accent" role="alert">{failed}</p>{/if}
  {#each tests.slice(0, 3) as test (test.tested_at)}
    <table class="ledger tight text-sm" aria-label="Runs of the link test">
      <thead
        ><tr
          ><th>{test.over === 'wi-fi' ? 'Wi-Fi' : test.over === 'cable' ? 'cable' : 'no radio'}</th
          >{#each test.down_mbps.keys() as i (i)}<th class="number">{i + 1}</th>{/each}<th class="number"
            >middle</th
          ></tr
        ></thead
      >
      <tbody>
        {#each [['down, Mb/s', test.down_mbps, 1], ['up, Mb/s', test.up_mbps, 1], ['latency, ms', test.idle_ms, 1], ['under load, ms', test.latency_ms, 1], ['jitter, ms', test.jitter_ms, 1], ['stalls', test.stalls, 0]] as [label, values, digits] (label)}
          <tr
            ><td>{label}</td>{#each values as readonly number[] as v, i (i)}<td class="number"
                >{fixed(v, digits as number)}</td
              >{/each}<td class="number figure"
              >{fixed(middle(values as readonly number[]), digits as number)}</td
            ></tr
          >
        {/each}
      </tbody>
    </table>
  {/each}
</div>
