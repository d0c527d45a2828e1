<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import type { Tool } from "../desk/tools.svelte";
  import type { IconName } from "../lib/Icon.svelte";
  import type { Way } from "../lib/shape-edits";
  import ToolColumn from "./ToolColumn.svelte";

  let { desk }: { desk: Desk } = $props();
  const ways: Record<Way, { says: string; hint: string; next: Way }> = {
    frame: {
      says: "this frame",
      hint: "A change sets a key of the whole shape on this frame",
      next: "all",
    },
    all: {
      says: "all frames",
      hint: "A change moves every key of the shape by as much",
      next: "point",
    },
    point: {
      says: "this point",
      hint: "A change sets a key on this frame for the moved points alone",
      next: "frame",
    },
  };
  const tools: { tool: Tool & IconName; name: string }[] = [
    { tool: "arrow", name: "Change shapes: drag the line, its points or handles" },
    { tool: "ellipse", name: "Draw an ellipse" },
    { tool: "box", name: "Draw a box" },
    { tool: "polygon", name: "Draw a polygon, point by point" },
    { tool: "curve", name: "Draw a smooth curve, point by point" },
    { tool: "line", name: "Draw an open line, point by point" },
    { tool: "hand", name: "Move the picture" },
  ];
</script>

<ToolColumn {desk} label="Shape tools" {tools}>
  <button
    class="mt-1 block w-9 rounded-[5px] border-2 border-transparent border-t-rule py-0.5 text-[11px] leading-tight hover:bg-stand aria-pressed:border-ink aria-pressed:bg-paper"
    aria-pressed={desk.tools.shapeWay !== "frame"}
    title={ways[desk.tools.shapeWay].hint}
    onclick={() => (desk.tools.shapeWay = ways[desk.tools.shapeWay].next)}
    >{ways[desk.tools.shapeWay].says}</button
  >
</ToolColumn>
