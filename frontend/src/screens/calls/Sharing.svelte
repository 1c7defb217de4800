<script lang="ts">
  import { api, ask } from '../../lib/api'
  import type { ShareView } from '../../lib/types'
  import { notices } from '../../state/notices.svelte'

  let share = $state<ShareView | null>(null)
  const LOOK_AGAIN_MS = 5000
  async function look() {
    try {
      share = await ask(api.GET('/api/share'))
    } catch {
      share = null
    }
  }
  $effect(() => {
    void look()
    const timer = setInterval(() => share?.code && void look(), LOOK_AGAIN_MS)
    return () => clearInterval(timer)
  })
  async function end() {
    try {
      share = await ask(api.DELETE('/api/share'))
      notices.say('No longer shared: paired phones get nothing any more.')
    } catch (error) {
      notices.fail(error)
    }
  }
</script>

{#if share?.code}
  <section class="page mb-4 flex flex-wrap items-center gap-x-6 gap-y-2 border-accent!" aria-label="Shared">
    <p>
      Shared on this network at <strong>{share.addresses.join(' ')}</strong>; {share.paired} paired.
    </p>
    <p>Pairing code <span class="figure text-2xl">{share.code.slice(0, 3)} {share.code.slice(3)}</span></p>
    <button class="button slim" onclick={end}>Stop sharing</button>
  </section>
{/if}
