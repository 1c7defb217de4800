<script lang="ts" generics="T extends string | number">
  import type { HTMLSelectAttributes } from 'svelte/elements'

  /** A choice of one: values, or pairs of a value and what it is called. */
  interface Props extends Omit<HTMLSelectAttributes, 'value'> {
    value?: T | '' | null | undefined
    options: readonly (T | readonly [T, string])[]
    /** What choosing nothing is called; not offered where it is not given. */
    empty?: string
  }
  let { value = $bindable(), options, empty, ...rest }: Props = $props()
  const pairs = $derived(options.map((o) => (typeof o === 'object' ? o : ([o, String(o)] as const))))
</script>

<select {...rest} bind:value>
  {#if empty !== undefined}<option value="" disabled={rest.required ?? undefined}>{empty}</option>{/if}
  {#each pairs as [known, text], i (i)}<option value={known}>{text}</option>{/each}
</select>
