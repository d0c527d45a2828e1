<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import type { Tool } from "../desk/tools.svelte";
  import type { IconName } from "../lib/Icon.svelte";
  import BrushSize from "./BrushSize.svelte";
  import ToolColumn from "./ToolColumn.svelte";

  let { desk }: { desk: Desk } = $props();
  const tools: { tool: Tool & IconName; name: string; keys: string }[] = [
    { tool: "in", name: "In mark: on the subject", keys: "I" },
    { tool: "out", name: "Out mark: not the subject", keys: "O" },
    { tool: "lasso", name: "Lasso: all inside the line is the subject (Alt: is not)", keys: "L" },
    { tool: "near", name: "Only near here: beyond the line is not the subject", keys: "N" },
    { tool: "drag", name: "Drag: takes the outline along, by parts of a pixel", keys: "D" },
    { tool: "erase", name: "Erase marks", keys: "E" },
    { tool: "hand", name: "Move the picture", keys: "H" },
  ];
</script>

<ToolColumn {desk} label="Tools" {tools}>
  <BrushSize {desk} />
</ToolColumn>
