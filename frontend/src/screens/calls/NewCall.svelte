<script lang="ts">
  import { api, ask } from '../../lib/api'
  import { byName, guessed } from '../../lib/countries'
  import { notices } from '../../state/notices.svelte'
  import { goTo } from '../../state/route.svelte'
  import Picker from '../../parts/Picker.svelte'

  let { onclose }: { onclose: () => void } = $props()
  let title = $state('')
  let complaint = $state('')
  let country = $state('')
  let countries = $state<string[]>([])
  let guess = $state('')
  let edition = $state('')
  let zones = $state<string[]>([])
  let timeZone = $state('')
  let first = $state<HTMLInputElement>()

  $effect(() => first?.focus())
  $effect(() => {
    ask(api.GET('/api/about'))
      .then((about) => {
        countries = about.countries
        if (!country) country = guessed(countries, navigator.languages)
        guess = country
        edition = about.regulatory_edition
        zones = about.time_zones
        const here = Intl.DateTimeFormat().resolvedOptions().timeZone
        if (zones.includes(here)) timeZone = here
      })
      .catch((error) => notices.fail(error))
  })

  async function open(event: SubmitEvent) {
    event.preventDefault()
    try {
      const call = await ask(
        api.POST('/api/calls', { body: { title, country, complaint, time_zone: timeZone || null } }),
      )
      goTo(call.id, 'ask')
    } catch (error) {
      notices.fail(error)
    }
  }
</script>

<svelte:window onkeydown={(e) => e.key === 'Escape' && onclose()} />
<form class="page mb-4 grid gap-3 border-2 border-ink" onsubmit={open}>
  <h2>New call</h2>
  <label class="grid gap-1"
    >Title<input class="field" bind:this={first} bind:value={title} required maxlength="80" /></label
  >
  <label class="grid gap-1"
    >Complaint, in the household's own words<textarea
      class="field"
      rows="3"
      bind:value={complaint}
      maxlength="2000"></textarea></label
  >
  <label class="grid gap-1"
    >Country
    <Picker class="field w-64" bind:value={country} options={byName(countries)} empty="choose" required />
    <span class="text-sm text-soft"
      >{#if guess && guess === country}<strong>Guessed from this computer’s language: check it.</strong>{/if} Its
      law decides which channels and powers are offered (channel table {edition}).</span
    >
  </label>
  <label class="grid gap-1"
    >Time zone of the house
    <Picker class="field w-64" bind:value={timeZone} options={zones} empty="not known" />
    <span class="text-sm text-soft">Times of readings, follow-ups and the report are in it.</span>
  </label>
  <div class="flex gap-2">
    <button class="button main">Open the call</button>
    <button class="button" type="button" onclick={onclose}>Cancel <kbd>Esc</kbd></button>
  </div>
</form>
