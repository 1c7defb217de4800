<script lang="ts">
  import { api, ask, sendFile } from '../../lib/api'
  import { plural } from '../../lib/format'
  import type { Call, Node, Radio, RadioSetting } from '../../lib/types'
  import FileDrop from '../../parts/FileDrop.svelte'
  import { notices } from '../../state/notices.svelte'
  import type { CallState } from '../../state/call.svelte'
  import Known from '../../parts/Known.svelte'
  import Picker from '../../parts/Picker.svelte'
  import Ledger from '../../parts/Ledger.svelte'
  import NumberCell from '../../parts/NumberCell.svelte'
  import Tick from '../../parts/Tick.svelte'

  let { call, node }: { call: CallState; node: Node } = $props()
  const JOINS = [
    ['devices', 'devices too'],
    ['link', 'link only'],
    ['either', 'can be closed'],
  ] as const

  // An own call's radio has a made-up address until it is heard or typed: no field shows what nobody knows.
  const MADE_UP = '02:e5:00:'
  const heard = $derived(new Set(call.job.scans.flatMap((s) => s.readings.map((r) => r.bssid))))
  const unknown = (radio: Radio) =>
    !call.practice && radio.bssid.startsWith(MADE_UP) && !heard.has(radio.bssid)
  const named = $derived(call.job.nodes.some((n) => n.radios.some((r) => !unknown(r))))
  const change = (id: string, what: Partial<Radio>, summary: string) =>
    call.alter('radios', id, what, summary)
  /** What the node is set to already, as read from its own pages: nothing is sent. */
  const setNow = (id: string, what: Partial<RadioSetting>) =>
    call.alter('radio_settings', id, what, `wrote down what ${id} is set to`)
  async function readConf(id: string, file: File) {
    try {
      call.take(await sendFile<Call>(`/api/calls/${call.id}/radios/${id}/hostapd`, file, () => {}))
      notices.say(`Saved: ${id} is set as ${file.name} says.`)
    } catch (error) {
      notices.fail(error)
    }
  }
  /** The same file with the call's setting of the radio in it, all else as it was. */
  async function setConf(id: string, file: File) {
    try {
      const params = { path: { call_id: call.id, radio_id: id } }
      const text = await file.text()
      const written = await ask<string>(
        api.POST('/api/calls/{call_id}/radios/{radio_id}/hostapd.conf', {
          params,
          body: text as never,
          bodySerializer: (b: unknown) => b as string,
          parseAs: 'text',
        }),
      )
      const link = document.createElement('a')
      link.href = URL.createObjectURL(new Blob([written], { type: 'text/plain' }))
      link.download = file.name
      link.click()
      URL.revokeObjectURL(link.href)
    } catch (error) {
      notices.fail(error)
    }
  }
</script>

<Ledger fills={call} heads={['Radio', 'SSID', 'Address', 'Kind', 'Set now', 'Locked', 'Who may join']}>
  {#each node.radios as radio (radio.id)}
    {@const s = call.job.settings.radios.find((x) => x.radio_id === radio.id)}
    <tr>
      <td
        >{radio.id}
        {#if unknown(radio)}<span class="block text-xs text-soft"
            ><Known how="assumed" bare /> not heard yet</span
          >{/if}
        {#if !call.practice}
          <span class="flex gap-x-2 text-xs whitespace-nowrap text-soft"
            >hostapd.conf:
            <FileDrop
              class="underline underline-offset-2"
              label="Read hostapd.conf of {radio.id}"
              accept=".conf,.txt"
              onfile={(file) => readConf(radio.id, file)}>read</FileDrop
            ><FileDrop
              class="underline underline-offset-2"
              label="Set hostapd.conf of {radio.id}"
              accept=".conf,.txt"
              onfile={(file) => setConf(radio.id, file)}>set in it</FileDrop
            ></span
          >
        {/if}</td
      >
      <td
        ><input
          class="field slim w-28"
          aria-label="SSID of {radio.id}"
          value={unknown(radio) && !named ? '' : radio.ssid}
          placeholder="not known"
          onchange={(e) => change(radio.id, { ssid: e.currentTarget.value }, `renamed ${radio.id}`)}
        /></td
      >
      <td
        ><input
          class="field slim w-44 font-mono"
          aria-label="Address of {radio.id}"
          value={unknown(radio) ? '' : radio.bssid}
          placeholder="not known"
          onchange={(e) =>
            change(
              radio.id,
              { bssid: e.currentTarget.value.toLowerCase() },
              `changed the address of ${radio.id}`,
            )}
        /></td
      >
      <td>{radio.generation}, {plural(radio.streams, 'stream')}, {radio.widths_mhz.join('/')} MHz</td>
      <td class="whitespace-nowrap">
        {#if s}
          <NumberCell
            class="field slim w-16"
            min="1"
            max="233"
            aria-label="Channel of {radio.id}"
            value={s.channel}
            onpick={(n) => setNow(radio.id, { channel: n, centre_mhz: null })}
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
        ><Tick
          checked={radio.locked}
          label="{radio.id} is locked"
          onpick={(on) => change(radio.id, { locked: on }, `${on ? 'locked' : 'freed'} ${radio.id}`)}
        /></td
      >
      <td
        ><Picker
          class="field slim w-32"
          aria-label="Who may join {radio.id}"
          value={radio.link_only ? 'link' : radio.can_be_backhaul_only ? 'either' : 'devices'}
          options={JOINS}
          onchange={(e) => {
            const who = e.currentTarget.value
            void change(
              radio.id,
              { link_only: who === 'link', can_be_backhaul_only: who === 'either' },
              `who may join ${radio.id}`,
            )
          }}
        /></td
      >
    </tr>
  {/each}
</Ledger>
