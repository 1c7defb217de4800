<script lang="ts">
  import { Tabs } from 'bits-ui'
  import type { Snippet } from 'svelte'
  import { onKeys } from '../lib/keys'
  import { route, showPart, slug } from '../state/route.svelte'

  /** Views of one step of the work, one at a time, each with its key and an address of its own. */
  interface Props {
    /** Key, name, and what is worth knowing of a view before it is opened: a count. */
    views: readonly (readonly [key: string, name: string, note?: string])[]
    label: string
    children: Snippet<[string]>
  }
  let { views, label, children }: Props = $props()
  const view = $derived((views.find(([, name]) => slug(name) === route.current.part) ?? views[0]!)[1])
  const keys = $derived(
    onKeys(Object.fromEntries(views.map(([key, name]) => [key, () => showPart(slug(name))]))),
  )
</script>

<svelte:window onkeydown={keys} />
<Tabs.Root value={view} onValueChange={(name) => showPart(slug(name))}>
  <Tabs.List
    class="no-print mb-3 flex gap-x-1 border-b-2 border-(--ink) p-1 pb-0 max-sm:flex-wrap sm:overflow-x-auto"
    aria-label={label}
  >
    {#each views as [key, name, note] (name)}
      <Tabs.Trigger
        value={name}
        class="flex min-h-11 shrink-0 items-center gap-1 px-2 data-[state=active]:border-b-4 data-[state=active]:border-(--accent) data-[state=active]:font-semibold"
        >{name}
        {#if note}<span class="figure text-sm text-soft">{note}</span>{/if}
        <kbd>{key.toUpperCase()}</kbd></Tabs.Trigger
      >
    {/each}
  </Tabs.List>
  <Tabs.Content value={view} class="grid grid-cols-[minmax(0,1fr)] gap-3"
    >{@render children(view)}</Tabs.Content
  >
</Tabs.Root>
