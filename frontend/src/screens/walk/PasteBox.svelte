<script lang="ts">
  import { ClipboardPaste } from '@lucide/svelte'
  import { tick } from 'svelte'
  import type { CallState } from '../../state/call.svelte'

  /** What a tool printed on this or another computer, taken for a spot: the server recognises what it is. */
  let { call, placeId }: { call: CallState; placeId: string } = $props()
  let text = $state('')
  let open = $state(false)
  let box = $state<HTMLTextAreaElement>()
  /** Open the box and put the cursor in it. */
  export async function show() {
    open = true
    await tick()
    box?.focus()
  }
  async function take(event: Event) {
    event.preventDefault()
    if (placeId && (await call.readText(text, placeId, 'pasted text'))) {
      text = ''
      box?.blur()
    }
  }
</script>

<details bind:open class="no-print mb-3">
  <summary class="cursor-pointer text-soft">Paste what a scanning tool or iperf3 printed <kbd>V</kbd></summary
  >
  <form class="mt-2 grid gap-2" onsubmit={take}>
    <textarea
      class="field font-mono text-sm"
      rows="5"
      aria-label="Text of a scanning tool or iperf3"
      bind:this={box}
      bind:value={text}
      onkeydown={(e) => {
        if (e.key === 'Enter' && (e.ctrlKey || e.metaKey)) {
          e.preventDefault()
          void take(e)
        }
      }}
      placeholder="nmcli -t -f BSSID,SSID,CHAN,FREQ,SIGNAL,SECURITY device wifi list | iw dev wlan0 scan | netsh wlan show networks mode=bssid | system_profiler SPAirPortDataType -json | iperf3 -J"
    ></textarea>
    <button class="button justify-self-start" disabled={!text.trim() || !placeId}
      ><ClipboardPaste size={16} />Take it for this spot <kbd>Ctrl ↵</kbd></button
    >
  </form>
</details>
