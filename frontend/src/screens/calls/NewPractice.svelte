<script lang="ts">
  import { api, ask } from '../../lib/api'
  import { byName, guessed } from '../../lib/countries'
  import type { PracticeBody } from '../../lib/types'
  import { notices } from '../../state/notices.svelte'
  import { goTo } from '../../state/route.svelte'
  import { rules } from '../../state/rules.svelte'
  import Picker from '../../parts/Picker.svelte'

  let { onclose }: { onclose: () => void } = $props()
  let seed = $state(Math.floor(Math.random() * 10_000))
  let size = $state<PracticeBody['size']>()
  let difficulty = $state<PracticeBody['difficulty']>()
  let country = $state(guessed(rules.countries, navigator.languages))
  let first = $state<HTMLSelectElement>()

  $effect(() => first?.focus())

  async function open(event: SubmitEvent) {
    event.preventDefault()
    const here = Intl.DateTimeFormat().resolvedOptions().timeZone
    const time_zone = rules.timeZones.includes(here) ? here : null
    try {
      const body = {
        seed,
        country,
        time_zone,
        size: size ?? rules.offered.practice_sizes[0]!,
        difficulty: difficulty ?? rules.offered.practice_difficulties[0]!,
      }
      const call = await ask(api.POST('/api/calls/practice', { body }))
      goTo(call.id, 'ask')
    } catch (error) {
      notices.fail(error)
    }
  }
</script>

<svelte:window onkeydown={(e) => e.key === 'Escape' && onclose()} />
<form class="page mb-4 grid gap-3 border-2 border-ink" onsubmit={open}>
  <h2>New practice house</h2>
  <p class="text-soft">
    An invented house with simulated instruments, to learn the work on. Everything read in it says that it is
    simulated. The same number gives the same house; with “any house” the number decides everything, from a
    small flat with one router to a detached house with five nodes.
  </p>
  <div class="flex flex-wrap gap-3">
    <label class="grid gap-1"
      >Size
      <select class="field w-40" bind:this={first} bind:value={size}>
        {#each rules.offered.practice_sizes as choice (choice)}<option>{choice}</option>{/each}
      </select>
    </label>
    {#if size !== 'any house'}
      <label class="grid gap-1"
        >Difficulty
        <Picker class="field w-40" bind:value={difficulty} options={rules.offered.practice_difficulties} />
      </label>
    {/if}
    <label class="grid gap-1"
      >Number<input class="field w-32" type="number" min="0" max="999999" bind:value={seed} required /></label
    >
    <label class="grid gap-1"
      >Country
      <Picker
        class="field w-64"
        bind:value={country}
        options={byName(rules.countries)}
        empty="choose"
        required
      />
    </label>
  </div>
  <div class="flex gap-2">
    <button class="button main">Open the practice house</button>
    <button class="button" type="button" onclick={onclose}>Cancel <kbd>Esc</kbd></button>
  </div>
</form>
