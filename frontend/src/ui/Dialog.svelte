<!-- What is asked or shown before all else; Escape closes it. -->
<script lang="ts">
  import { Dialog } from "bits-ui";
  import type { Snippet } from "svelte";

  type Props = {
    title: string;
    open: boolean;
    onclose: () => void;
    /** How wide it is at the most, in pixels. */
    width?: number;
    /** What stands beside the title. */
    head?: Snippet;
    children: Snippet;
  };
  let { title, open, onclose, width = 720, head, children }: Props = $props();
</script>

<Dialog.Root bind:open={() => open, (next) => !next && onclose()}>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-70 bg-black/45" />
    <Dialog.Content
      class="fixed top-1/2 left-1/2 z-71 max-h-[84vh] -translate-1/2 overflow-auto rounded-lg border border-ink bg-sheet px-5 py-4"
      style={`width: min(${width}px, 92vw)`}
    >
      <div class="flex items-center gap-3">
        <Dialog.Title level={2} class="flex-1 text-[17px] font-semibold">{title}</Dialog.Title>
        {@render head?.()}
      </div>
      {@render children()}
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
