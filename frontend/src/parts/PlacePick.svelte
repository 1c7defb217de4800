<script lang="ts">
  import type { Job } from '../lib/types'

  interface Props {
    job: Job
    label: string
    value: string
  }
  let { job, label, value = $bindable() }: Props = $props()
</script>

<label class="grid text-sm text-soft"
  >{label}
  <select class="field text-base text-ink" bind:value required>
    <option value="" disabled>choose</option>
    {#each job.places as place (place.id)}<option value={place.id}>{place.name}</option>{/each}
  </select></label
>
