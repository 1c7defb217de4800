<script lang="ts">
  import { route } from './state/route.svelte'
  import Calls from './screens/calls/Calls.svelte'
  import CallShell from './screens/CallShell.svelte'
  import Notice from './parts/Notice.svelte'
</script>

{#if route.current.callId === null}
  <Calls />
{:else}
  {#key route.current.callId}
    <CallShell callId={route.current.callId} step={route.current.step} />
  {/key}
{/if}
<Notice />
