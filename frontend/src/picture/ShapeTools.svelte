<script lang="ts">
  import type { Desk, Tool } from "../lib/desk.svelte";
  import type { IconName } from "../lib/Icon.svelte";
  import type { Way } from "../lib/shapes";
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
    { tool: "hand", name: "Move the picture" },
  ];
</script>

<ToolColumn {desk} label="Shape tools" {tools}>
  <button
    class="all"
    aria-pressed={desk.shapeWay !== "frame"}
    title={ways[desk.shapeWay].hint}
    onclick={() => (desk.shapeWay = ways[desk.shapeWay].next)}>{ways[desk.shapeWay].says}</button
  >
</ToolColumn>

<style>
  .all {
    display: block;
    width: 36px;
    margin-top: 4px;
    padding: 2px 0;
    border: 2px solid transparent;
    border-top: 1px solid var(--rule);
    border-radius: 5px;
    background: none;
    font-size: 11px;
    line-height: 1.15;
  }
  .all:hover {
    background: var(--stand);
  }
  .all[aria-pressed="true"] {
    border-color: var(--ink);
    background: var(--paper);
  }
</style>
