<script lang="ts">
  import type { Job } from '../lib/types'
  import Field from './Field.svelte'
  import Picker from './Picker.svelte'

  interface Props {
    job: Job
    label: string
    value: string
  }
  let { job, label, value = $bindable() }: Props = $props()
</script>

<Field {label}>
  <Picker
    class="field text-base text-ink"
    bind:value
    required
    empty="choose"
    options={job.places.map((place) => [place.id, place.name] as const)}
  />
</Field>
