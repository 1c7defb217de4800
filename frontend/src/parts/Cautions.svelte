<script lang="ts" module>
  import { api, ask } from '../lib/api'
  import type { Caution } from '../lib/types'

  let all: Promise<Caution[]> | null = null
  /** The cautions of the work: they do not change while the application runs. */
  const known = () =>
    (all ??= ask(api.GET('/api/cautions')).catch(() => {
      all = null
      return []
    }))
</script>

<script lang="ts">
  import { TriangleAlert } from '@lucide/svelte'

  let { step, cautions }: { step?: string; cautions?: Caution[] } = $props()
  let found = $state<Caution[]>([])
  $effect(() => {
    if (step) void known().then((list) => (found = list.filter((c) => c.steps.includes(step))))
  })
  const shown = $derived(cautions ?? found)
</script>

{#if shown.length}
  <details class="mb-3 border-l-4 border-(--ink) bg-wash px-3 py-1.5 text-sm" data-cautions={step ?? 'these'}>
    <summary class="cursor-pointer">
      <TriangleAlert size={16} class="mr-1 inline align-text-bottom" /><strong>Caution:</strong>
      {shown.map((c) => c.title).join(' · ')}
    </summary>
    <dl class="mt-1 grid gap-x-4 gap-y-1 sm:grid-cols-[13rem_1fr]">
      {#each shown as c (c.kind)}
        <dt class="font-semibold">{c.title}</dt>
        <dd>{c.text}</dd>
      {/each}
    </dl>
    <p class="mt-1 text-soft">Local codes and licensed practice come first.</p>
  </details>
{/if}
