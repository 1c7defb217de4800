<script lang="ts">
  import type { CallState } from '../../state/call.svelte'
  import Devices from './Devices.svelte'
  import Nodes from './Nodes.svelte'
  import Places from './Places.svelte'
  import RouterLists from './RouterLists.svelte'
  import Senders from './Senders.svelte'
  import ThreadKit from './ThreadKit.svelte'
  import Wiring from './Wiring.svelte'
  import ZigbeeKit from './ZigbeeKit.svelte'

  let { state }: { state: CallState } = $props()
</script>

<div class="grid grid-cols-[minmax(0,1fr)] gap-4">
  <Places {state} />
  <Nodes {state} />
  <Wiring {state} />
  <Devices {state} />
  {#if state.job.devices.length}<RouterLists {state} />{/if}
  <ZigbeeKit {state} />
  <ThreadKit {state} />
  <Senders {state} />
</div>
