<script lang="ts">
  import type { Desk, Tool } from "../lib/desk.svelte";
  import Hint from "../lib/Hint.svelte";
  import Icon from "../lib/Icon.svelte";

  let { desk }: { desk: Desk } = $props();
  const tools: { tool: Exclude<Tool, "sample">; name: string; keys: string }[] = [
    { tool: "in", name: "In mark: on the subject", keys: "I" },
    { tool: "out", name: "Out mark: not the subject", keys: "O" },
    { tool: "lasso", name: "Lasso: all inside the line is the subject (Alt: is not)", keys: "L" },
    { tool: "near", name: "Only near here: beyond the line is not the subject", keys: "N" },
    { tool: "erase", name: "Erase marks", keys: "E" },
    { tool: "hand", name: "Move the picture", keys: "H" },
  ];
</script>

<div class="tools">
  <div role="radiogroup" aria-label="Tools">
    {#each tools as { tool, name, keys } (tool)}
      <Hint text={name} {keys} side="right">
        {#snippet child(props)}
          <button
            {...props}
            role="radio"
            aria-checked={desk.tool === tool}
            aria-label={name}
            onclick={() => (desk.tool = tool)}><Icon name={tool} size={19} /></button
          >
        {/snippet}
      </Hint>
    {/each}
  </div>
  <label title="Brush size ([ and ])">
    <input
      type="number"
      min="1"
      max="200"
      aria-label="Brush radius in pixels"
      bind:value={desk.brush}
    />
    <span>px</span>
  </label>
</div>

<style>
  .tools {
    position: absolute;
    left: 10px;
    top: 12px;
    width: 40px;
    background: var(--card);
    border-radius: 6px;
    box-shadow: 0 2px 10px rgb(0 0 0 / 0.35);
    padding: 4px;
    cursor: default;
  }
  div[role] {
    display: grid;
    gap: 2px;
  }
  button {
    display: grid;
    place-items: center;
    width: 32px;
    height: 32px;
    border: 2px solid transparent;
    border-radius: 5px;
    background: none;
  }
  button:hover {
    background: var(--stand);
  }
  button[aria-checked="true"] {
    border-color: var(--ink);
    background: var(--paper);
  }
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
</style>
