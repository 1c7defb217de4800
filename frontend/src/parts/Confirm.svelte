<script lang="ts">
  import { AlertDialog } from 'bits-ui'
  import type { Snippet } from 'svelte'

  let {
    open = $bindable(),
    title,
    action,
    onconfirm,
    children,
  }: { open: boolean; title: string; action: string; onconfirm: () => void; children: Snippet } = $props()
</script>

<AlertDialog.Root bind:open>
  <AlertDialog.Portal>
    <AlertDialog.Overlay class="fixed inset-0 z-40 bg-black/50" />
    <AlertDialog.Content
      class="fixed top-1/2 left-1/2 z-50 max-h-[90vh] w-[min(36rem,94vw)] -translate-x-1/2 -translate-y-1/2 overflow-auto rounded border-2 border-ink bg-sheet p-5"
    >
      <AlertDialog.Title class="text-xl font-bold">{title}</AlertDialog.Title>
      <AlertDialog.Description class="my-3">{@render children()}</AlertDialog.Description>
      <div class="flex flex-wrap justify-end gap-2">
        <AlertDialog.Cancel class="button">Cancel <kbd>Esc</kbd></AlertDialog.Cancel>
        <AlertDialog.Action class="button main" onclick={onconfirm}>{action}</AlertDialog.Action>
      </div>
    </AlertDialog.Content>
  </AlertDialog.Portal>
</AlertDialog.Root>
