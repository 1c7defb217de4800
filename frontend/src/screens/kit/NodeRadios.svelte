<script lang="ts">
  import type { Job, Node, Radio, RadioSetting } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'

  let { call, node }: { call: CallState; node: Node } = $props()

  function withRadio(id: string, change: Partial<Radio>): Job {
    const nodes = call.job.nodes.map((n) => ({
      ...n,
      radios: n.radios.map((r) => (r.id === id ? { ...r, ...change } : r)),
    }))
    return { ...call.job, nodes }
  }
  /** What the box is set to already, as read from its own pages: nothing is sent. */
  function setNow(id: string, change: Partial<RadioSetting>) {
    const radios = call.job.settings.radios.map((s) => (s.radio_id === id ? { ...s, ...change } : s))
    return call.edit(
      { ...call.job, settings: { ...call.job.settings, radios } },
      `wrote down what ${id} is set to`,
    )
  }
</script>

<div class="overflow-x-auto">
  <table class="ledger text-sm">
    <thead
      ><tr
        ><th>Radio</th><th>Name sent</th><th>Address</th><th>Kind</th><th class="number">Streams</th><th
          >Set now</th
        ><th>Locked</th><th>Link only</th></tr
      ></thead
    >
    <tbody>
      {#each node.radios as radio (radio.id)}
        {@const s = call.job.settings.radios.find((x) => x.radio_id === radio.id)}
        <tr>
          <td>{radio.id}</td>
          <td
            ><input
              class="field slim w-32"
              aria-label="Name sent by {radio.id}"
              value={radio.ssid}
              onchange={(e) =>
                call.edit(withRadio(radio.id, { ssid: e.currentTarget.value }), `renamed ${radio.id}`)}
            /></td
          >
          <td
            ><input
              class="field slim w-44 font-mono"
              aria-label="Address of {radio.id}"
              value={radio.bssid}
              onchange={(e) =>
                call.edit(
                  withRadio(radio.id, { bssid: e.currentTarget.value.toLowerCase() }),
                  `changed the address of ${radio.id}`,
                )}
            /></td
          >
          <td>{radio.generation}, {radio.widths_mhz.join('/')} MHz</td>
          <td class="number">{radio.streams}</td>
          <td class="whitespace-nowrap">
            {#if s}
              <input
                class="field slim w-16"
                type="number"
                min="1"
                max="233"
                aria-label="Channel of {radio.id}"
                value={s.channel}
                onchange={(e) =>
                  setNow(radio.id, { channel: Number(e.currentTarget.value), centre_mhz: null })}
              />
              <select
                class="field slim"
                aria-label="Width of {radio.id}"
                value={s.width_mhz}
                onchange={(e) =>
                  setNow(radio.id, {
                    width_mhz: Number(e.currentTarget.value) as typeof s.width_mhz,
                    centre_mhz: null,
                  })}
              >
                {#each radio.widths_mhz as width (width)}<option value={width}>{width} MHz</option>{/each}
              </select>
              <select
                class="field slim"
                aria-label="Power of {radio.id}"
                value={s.eirp_dbm}
                onchange={(e) => setNow(radio.id, { eirp_dbm: Number(e.currentTarget.value) })}
              >
                {#each radio.eirp_steps_dbm as step (step)}<option value={step}>{step} dBm</option>{/each}
              </select>
            {/if}
          </td>
          <td
            ><input
              type="checkbox"
              class="size-5"
              aria-label="{radio.id} is locked"
              checked={radio.locked}
              onchange={(e) =>
                call.edit(
                  withRadio(radio.id, { locked: e.currentTarget.checked }),
                  `${e.currentTarget.checked ? 'locked' : 'freed'} ${radio.id}`,
                )}
            /></td
          >
          <td
            ><input
              type="checkbox"
              class="size-5"
              aria-label="{radio.id} is given over to the link"
              checked={radio.link_only}
              onchange={(e) =>
                call.edit(
                  withRadio(radio.id, { link_only: e.currentTarget.checked }),
                  `${radio.id}: ${e.currentTarget.checked ? 'for the link only' : 'open to devices'}`,
                )}
            /></td
          >
        </tr>
      {/each}
    </tbody>
  </table>
</div>
