<script lang="ts">
  import type { Snippet } from 'svelte'

  /** A button that takes a file: chosen in a dialog, or dropped on it. */
  interface Props {
    /** What the file is, as it is read out. */
    label: string
    /** Endings or kinds, as the dialog takes them. */
    accept: string
    onfile: (file: File) => unknown
    class?: string
    disabled?: boolean
    children: Snippet
  }
  let { label, accept, onfile, class: look = 'button slim', disabled = false, children }: Props = $props()
  let box = $state<HTMLInputElement>()
  let over = $state(false)
  /** Ask for a file, as a click does. */
  export const open = () => box?.click()
  const take = (file: File | undefined) => {
    if (file && !disabled) void onfile(file)
  }
  function drop(event: DragEvent) {
    event.preventDefault()
    event.stopPropagation()
    over = false
    take(event.dataTransfer?.files[0])
  }
</script>

<button
  type="button"
  class={look}
  class:outline-2={over}
  {disabled}
  onclick={() => box?.click()}
  ondragover={(e) => {
    e.preventDefault()
    over = true
  }}
  ondragleave={() => (over = false)}
  ondrop={drop}>{@render children()}</button
>
<input
  bind:this={box}
  type="file"
  {accept}
  class="hidden"
  aria-label={label}
  onchange={(e) => {
    take(e.currentTarget.files?.[0])
    e.currentTarget.value = ''
  }}
/>
