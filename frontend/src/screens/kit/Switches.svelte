<script lang="ts">
  import { Plus, X } from '@lucide/svelte'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'
  import Field from '../../parts/Field.svelte'
  import Picker from '../../parts/Picker.svelte'

  let { call }: { call: CallState } = $props()
  let name = $state('')
  let rate = $state(1000)
  let behind = $state('')
  const switches = $derived(call.job.switches)
  const nameOf = (id: string | null) => switches.find((s) => s.id === id)?.name

  async function add(event: SubmitEvent) {
    event.preventDefault()
    const made = { name, rate_mbps: rate, behind_switch_id: behind || null }
    if (await call.add('switches', made, `added the switch ${name}`)) name = ''
  }
  const remove = (id: string, label: string) => call.remove('switches', id, `removed the switch ${label}`)
</script>

<details class="mb-3" open={switches.length > 0}>
  <summary class="cursor-pointer text-sm font-semibold">Switches between nodes</summary>
  <ul class="my-2 flex flex-wrap gap-2">
    {#each switches as s (s.id)}
      <li class="flex items-center gap-2 rounded border border-(--strong-rule) py-1 pr-1 pl-3">
        {s.name}
        <span class="text-sm text-soft"
          >{s.rate_mbps} Mb/s{s.behind_switch_id ? `, behind ${nameOf(s.behind_switch_id)}` : ''}</span
        >
        <button
          class="rounded p-1 hover:bg-wash"
          aria-label="Remove the switch {s.name}"
          onclick={() => remove(s.id, s.name)}><X size={14} /></button
        >
      </li>
    {/each}
  </ul>
  <form class="flex flex-wrap items-end gap-2" onsubmit={add}>
    <Field label="Switch"
      ><input class="field text-base text-ink" bind:value={name} required maxlength="80" /></Field
    >
    <Field label="Rate, Mb/s"
      ><Picker
        class="field text-base text-ink"
        bind:value={rate}
        options={rules.offered.switch_rates_mbps}
      /></Field
    >
    {#if switches.length}
      <Field label="Hangs on"
        ><Picker
          class="field text-base text-ink"
          bind:value={behind}
          options={switches.map((s) => [s.id, s.name] as const)}
          empty="the node"
        /></Field
      >
    {/if}
    <button class="button"><Plus size={16} />Add switch</button>
  </form>
</details>
