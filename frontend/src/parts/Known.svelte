<script lang="ts">
  /** How something is known, by the same marks everywhere: a full square was measured, a half one is predicted, an empty
   * one assumed; a dash is not known. */
  interface Props {
    how: 'measured' | 'predicted' | 'assumed' | 'not known'
    /** The mark alone, where there is no room for the word; it is read out all the same. */
    bare?: boolean
  }
  let { how, bare = false }: Props = $props()
</script>

<span
  class="inline-flex items-center gap-1 whitespace-nowrap"
  data-known={how}
  title={bare ? how : undefined}
>
  <svg width="11" height="11" viewBox="0 0 11 11" aria-hidden="true">
    {#if how === 'not known'}<line x1="1" y1="5.5" x2="10" y2="5.5" class="stroke-ink" stroke-width="1.5" />
    {:else}
      <rect x="1" y="1" width="9" height="9" class="fill-none stroke-ink" stroke-width="1.2" />
      {#if how === 'measured'}<rect x="1" y="1" width="9" height="9" class="fill-ink" />
      {:else if how === 'predicted'}<path d="M1 10 L10 10 L1 1 Z" class="fill-ink" />{/if}
    {/if}
  </svg>{#if bare}<span class="sr-only">{how}</span>{:else}{how}{/if}</span
>
