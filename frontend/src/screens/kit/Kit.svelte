<script lang="ts">
  import type { CallState } from '../../state/call.svelte'
  import Views from '../../parts/Views.svelte'
  import Devices from './Devices.svelte'
  import Nodes from './Nodes.svelte'
  import Places from './Places.svelte'
  import RouterLists from './RouterLists.svelte'
  import Senders from './Senders.svelte'
  import ThreadKit from './ThreadKit.svelte'
  import Wiring from './Wiring.svelte'
  import ZigbeeKit from './ZigbeeKit.svelte'

  let { state: call }: { state: CallState } = $props()
  const count = (n: number | undefined) => (n ? String(n) : '')
  const views = $derived([
    ['r', 'Rooms', count(call.job.places.length)],
    ['n', 'Nodes', count(call.job.nodes.length)],
    ['d', 'Devices', count(call.job.devices.length)],
    ['z', 'Zigbee', count(call.job.zigbee?.devices.length)],
    ['l', 'Router’s lists', count(call.job.client_list.length)],
    ['c', 'Cabling', ''],
    ['o', 'Other sources', count(call.job.other_sources.length)],
  ] as const)
</script>

<Views {views} label="The kit, part by part">
  {#snippet children(view)}
    {#if view === 'Rooms'}<Places state={call} />
    {:else if view === 'Nodes'}<Nodes state={call} />
    {:else if view === 'Devices'}<Devices state={call} />
    {:else if view === 'Zigbee'}
      <ZigbeeKit state={call} />
      <ThreadKit state={call} />
    {:else if view === 'Router’s lists'}<RouterLists state={call} />
    {:else if view === 'Cabling'}<Wiring state={call} />
    {:else}<Senders state={call} />{/if}
  {/snippet}
</Views>
