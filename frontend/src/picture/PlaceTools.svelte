<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import type { Tool } from "../desk/tools.svelte";
  import type { IconName } from "../lib/Icon.svelte";
  import ToolColumn from "./ToolColumn.svelte";

  let { desk }: { desk: Desk } = $props();
  const tools: { tool: Tool & IconName; name: string; keys: string }[] = [
    { tool: "place", name: "Place the plane: drag it, its corners, its turn", keys: "M" },
    { tool: "hand", name: "Move the picture", keys: "H" },
  ];
</script>

<ToolColumn {desk} label="Placing tools" {tools} chosen={desk.tools.placing ? "place" : "hand"} />
