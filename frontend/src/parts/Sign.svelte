<script lang="ts">
  /** A mark for the eye, and the word that it stands for, for those who have a page read out. */
  let { mark, says }: { mark: string; says: string } = $props()
</script>

<span aria-hidden="true">{mark}</span><span class="sr-only">{says}</span>
