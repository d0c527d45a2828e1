<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import type { Tool } from "../desk/tools.svelte";
  import type { IconName } from "../lib/Icon.svelte";
  import BrushSize from "./BrushSize.svelte";
  import ToolColumn from "./ToolColumn.svelte";

  let { desk }: { desk: Desk } = $props();
  const tools: { tool: Tool & IconName; name: string; keys?: string }[] = [
    { tool: "arrow", name: "Put the track where it is: drag it, its corners or its point" },
    { tool: "spare", name: "Leave out: press or brush over what is not to be looked at" },
    { tool: "take", name: "Draw in: look here as well" },
    { tool: "hand", name: "Move the picture", keys: "H" },
  ];
  const brushes = $derived(desk.tools.tool === "spare" || desk.tools.tool === "take");
</script>

<ToolColumn {desk} label="Track tools" {tools}>
  {#if brushes}
    <BrushSize {desk} />
  {/if}
</ToolColumn>
