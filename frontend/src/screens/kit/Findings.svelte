<script lang="ts">
  import { percent, prose, sentence } from '../../lib/format'
  import type { Finding, SetUp } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'

  let { call, view }: { call: CallState; view: SetUp } = $props()
  const MARK: Record<Finding['urgency'], string> = { recommended: '◆', optional: '◇', ask: '○' }
  const sure = (f: Finding) => (f.sure ? `${f.rests_on}, ${percent(f.sure)} sure` : 'not known: ask')
</script>

<section class="mt-3 border-t border-(--rule) pt-3" aria-label="What the set-up shows">
  <h3>What the set-up shows: {prose(view.text)}</h3>
  <ul class="mt-1 grid gap-x-6 gap-y-2 lg:grid-cols-2">
    {#each view.findings as f (f.id)}
      <li class="border-t border-(--rule) pt-1.5" data-finding={f.id}>
        <div class="flex items-baseline gap-2">
          <span class:text-accent={f.urgency === 'recommended'} aria-hidden="true">{MARK[f.urgency]}</span>
          <strong class="grow">{prose(f.title)}</strong>
          <span class="text-sm whitespace-nowrap text-soft">{sure(f)}</span>
        </div>
        <p class="text-sm">{prose(f.why)} <span class="text-soft">{prose(f.evidence.join('; '))}.</span></p>
        <p class="text-sm">
          <strong>{f.urgency === 'ask' ? 'Find out:' : 'Do:'}</strong>
          {prose(f.do)}
          {#if f.step !== 'kit'}<a class="underline underline-offset-4" href="#/call/{call.id}/{f.step}"
              >Go to {sentence(f.step)}</a
            >{/if}
        </p>
      </li>
    {/each}
  </ul>
</section>
