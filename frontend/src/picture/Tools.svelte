<script lang="ts">
  import { BRUSH, type Desk, type Tool } from "../lib/desk.svelte";
  import type { IconName } from "../lib/Icon.svelte";
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

  /** Takes over what was typed; nothing leaves the brush as it was. */
  function sized(field: HTMLInputElement) {
    if (field.value) desk.sizeBrush(field.valueAsNumber);
    field.value = String(desk.brush);
  }
</script>

<ToolColumn {desk} label="Tools" {tools}>
  <label title="Brush size ([ and ])">
    <input
      type="number"
      min={BRUSH[0]}
      max={BRUSH[1]}
      aria-label="Brush radius in pixels"
      value={desk.brush}
      onchange={(event) => sized(event.currentTarget)}
    />
    <span>px</span>
  </label>
</ToolColumn>

<style>
  label {
    display: grid;
    margin-top: 4px;
    border-top: 1px solid var(--rule);
    padding-top: 4px;
    text-align: center;
    font-size: 11px;
    color: var(--quiet);
  }
  input {
    width: 100%;
    border: 0;
    background: none;
    text-align: center;
    font-family: var(--font-mono);
    font-size: 12px;
    appearance: textfield;
    color: var(--ink);
  }
  /* they would cover half of the number; the arrow keys do the same */
  input::-webkit-inner-spin-button {
    appearance: none;
  }
</style>
