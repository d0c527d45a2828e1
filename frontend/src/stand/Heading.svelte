<script lang="ts">
  import type { Snippet } from "svelte";

  /** The head of a list: its name, a word about it, and what adds to it. */
  let { name, note, children }: { name: string; note: string | number; children: Snippet } =
    $props();
</script>

<div class="flex items-baseline gap-2 pt-2 pr-2 pb-1 pl-3.5">
  <h2 class="text-[13.5px] font-semibold">{name}</h2>
  <span class="flex-1 text-[11.5px] text-quiet">{note}</span>
  {@render children()}
</div>
