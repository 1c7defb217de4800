<script lang="ts">
  import { Plus, X } from '@lucide/svelte'
  import { identifier } from '../../lib/kit'
  import { rules } from '../../state/rules.svelte'
  import type { CallState } from '../../state/call.svelte'

  let { call }: { call: CallState } = $props()
  let name = $state('')
  let rate = $state(1000)
  let behind = $state('')
  const switches = $derived(call.job.switches)
  const nameOf = (id: string | null) => switches.find((s) => s.id === id)?.name

  async function add(event: SubmitEvent) {
    event.preventDefault()
    const id = identifier(
      name,
      switches.map((s) => s.id),
    )
    const made = { id, name, rate_mbps: rate, behind_switch_id: behind || null }
    if (await call.edit({ ...call.job, switches: [...switches, made] }, `added the switch ${name}`)) name = ''
  }
  function remove(id: string, label: string) {
    const nodes = call.job.nodes.map((n) =>
      n.uplink?.switch_id === id ? { ...n, uplink: { ...n.uplink, switch_id: null } } : n,
    )
    const left = switches
      .filter((s) => s.id !== id)
      .map((s) => (s.behind_switch_id === id ? { ...s, behind_switch_id: null } : s))
    return call.edit({ ...call.job, nodes, switches: left }, `removed the switch ${label}`)
  }
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
    <label class="grid text-sm text-soft"
      >Switch<input class="field text-base text-ink" bind:value={name} required maxlength="80" /></label
    >
    <label class="grid text-sm text-soft"
      >Rate, Mb/s
      <select class="field text-base text-ink" bind:value={rate}>
        {#each rules.offered.switch_rates_mbps as step (step)}<option value={step}>{step}</option>{/each}
      </select></label
    >
    {#if switches.length}
      <label class="grid text-sm text-soft"
        >Hangs on
        <select class="field text-base text-ink" bind:value={behind}>
          <option value="">the node</option>
          {#each switches as s (s.id)}<option value={s.id}>{s.name}</option>{/each}
        </select></label
      >
    {/if}
    <button class="button"><Plus size={16} />Add switch</button>
  </form>
</details>
