<script lang="ts">
  import type { Node, Radio, RadioSetting } from '../../lib/types'
  import type { CallState } from '../../state/call.svelte'
  import Picker from '../../parts/Picker.svelte'
  import Ledger from '../../parts/Ledger.svelte'

  let { call, node }: { call: CallState; node: Node } = $props()

  const change = (id: string, what: Partial<Radio>, summary: string) =>
    call.alter('radios', id, what, summary)
  /** What the node is set to already, as read from its own pages: nothing is sent. */
  const setNow = (id: string, what: Partial<RadioSetting>) =>
    call.alter('radio_settings', id, what, `wrote down what ${id} is set to`)
</script>

<Ledger
  heads={['Radio', 'Name sent', 'Address', 'Kind', ['Streams', 'figure'], 'Set now', 'Locked', 'Link only']}
>
  {#each node.radios as radio (radio.id)}
    {@const s = call.job.settings.radios.find((x) => x.radio_id === radio.id)}
    <tr>
      <td>{radio.id}</td>
      <td
        ><input
          class="field slim w-32"
          aria-label="Name sent by {radio.id}"
          value={radio.ssid}
          onchange={(e) => change(radio.id, { ssid: e.currentTarget.value }, `renamed ${radio.id}`)}
        /></td
      >
      <td
        ><input
          class="field slim w-44 font-mono"
          aria-label="Address of {radio.id}"
          value={radio.bssid}
          onchange={(e) =>
            change(
              radio.id,
              { bssid: e.currentTarget.value.toLowerCase() },
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
            onchange={(e) => setNow(radio.id, { channel: Number(e.currentTarget.value), centre_mhz: null })}
          />
          <Picker
            class="field slim"
            aria-label="Width of {radio.id}"
            value={s.width_mhz}
            onchange={(e) =>
              setNow(radio.id, {
                width_mhz: Number(e.currentTarget.value) as typeof s.width_mhz,
                centre_mhz: null,
              })}
            options={radio.widths_mhz.map((width) => [width, `${width} MHz`] as const)}
          />
          <Picker
            class="field slim"
            aria-label="Power of {radio.id}"
            value={s.eirp_dbm}
            onchange={(e) => setNow(radio.id, { eirp_dbm: Number(e.currentTarget.value) })}
            options={radio.eirp_steps_dbm.map((step) => [step, `${step} dBm`] as const)}
          />
        {/if}
      </td>
      <td
        ><input
          type="checkbox"
          class="size-5"
          aria-label="{radio.id} is locked"
          checked={radio.locked}
          onchange={(e) =>
            change(
              radio.id,
              { locked: e.currentTarget.checked },
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
            change(
              radio.id,
              { link_only: e.currentTarget.checked },
              `${radio.id}: ${e.currentTarget.checked ? 'for the link only' : 'open to devices'}`,
            )}
        /></td
      >
    </tr>
  {/each}
</Ledger>
