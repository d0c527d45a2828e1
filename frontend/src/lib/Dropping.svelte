<!-- Takes files that are dropped anywhere in it, and says so while they are held over it. -->
<script lang="ts">
  import type { Snippet } from "svelte";
  import { filesOf, type Dropped } from "../footage/uploads.svelte";
  import { notes } from "./notes.svelte";

  type Props = {
    onfiles: (files: Dropped[]) => void;
    class?: string;
    children: Snippet;
  };
  let { onfiles, class: more, children }: Props = $props();
  /** How many things in each other the files are held over: leaving one may be entering another. */
  let depth = $state(0);
  const files = (event: DragEvent) => event.dataTransfer?.types.includes("Files");

  function drop(event: DragEvent) {
    if (!files(event)) return;
    event.preventDefault();
    depth = 0;
    void filesOf(event.dataTransfer)
      .then((found) => found.length && onfiles(found))
      .catch(notes.fault);
  }
</script>

<div
  class={["relative", more]}
  role="presentation"
  ondragenter={(e) => files(e) && depth++}
  ondragleave={(e) => files(e) && (depth = Math.max(0, depth - 1))}
  ondragover={(e) => files(e) && e.preventDefault()}
  ondrop={drop}
>
  {@render children()}
  {#if depth}
    <p
      class="pointer-events-none absolute inset-2 z-60 grid place-items-center rounded-lg border-2 border-dashed border-blue bg-paper/85 text-[17px] font-semibold"
    >
      Drop to bring in
    </p>
  {/if}
</div>
