<script lang="ts">
  import Field from './Field.svelte'

  interface Props {
    label: string
    min?: number
    max?: number
    value: number | null | undefined
    placeholder?: string
    wide?: boolean
    required?: boolean
  }
  let { label, min, max, value = $bindable(), placeholder, wide = false, required = false }: Props = $props()
</script>

<Field {label}>
  <input
    class="field text-base text-ink {wide ? 'w-28' : 'w-24'}"
    type="number"
    {min}
    {max}
    {placeholder}
    {required}
    bind:value
  />
</Field>
