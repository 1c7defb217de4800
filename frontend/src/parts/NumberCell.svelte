<script lang="ts">
  import type { HTMLInputAttributes } from 'svelte/elements'

  /** A number that can be typed over: taken over when it is left, if it is one that may be there. */
  interface Props extends Omit<HTMLInputAttributes, 'value' | 'onchange'> {
    value: number | null | undefined
    onpick: (value: number) => unknown
    /** What an empty field means; where it means nothing, the old value comes back. */
    onempty?: () => unknown
  }
  let { value, onpick, onempty, class: look = 'field slim w-20', ...rest }: Props = $props()

  function changed(box: HTMLInputElement) {
    if (box.value === '' && onempty) return onempty()
    const { badInput, rangeUnderflow, rangeOverflow } = box.validity
    // Steps are for the arrows: a number between them may be typed.
    if (box.value !== '' && !badInput && !rangeUnderflow && !rangeOverflow) return onpick(Number(box.value))
    box.reportValidity()
    box.value = value === null || value === undefined ? '' : String(value)
  }
</script>

<input {...rest} type="number" class={look} value={value ?? ''} onchange={(e) => changed(e.currentTarget)} />
