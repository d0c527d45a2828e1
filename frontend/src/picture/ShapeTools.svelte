<script lang="ts">
  import type { Desk, Tool } from "../lib/desk.svelte";
  import Hint from "../lib/Hint.svelte";
  import Icon, { type IconName } from "../lib/Icon.svelte";

  let { desk }: { desk: Desk } = $props();
  const tools: { tool: Tool; icon: IconName; name: string }[] = [
    { tool: "arrow", icon: "arrow", name: "Change shapes: drag the line, its points or handles" },
    { tool: "ellipse", icon: "ellipse", name: "Draw an ellipse" },
    { tool: "box", icon: "box", name: "Draw a box" },
    { tool: "polygon", icon: "polygon", name: "Draw a polygon, point by point" },
    { tool: "curve", icon: "curve", name: "Draw a smooth curve, point by point" },
    { tool: "hand", icon: "hand", name: "Move the picture" },
  ];
</script>

<div class="tools">
  <div role="radiogroup" aria-label="Shape tools">
    {#each tools as { tool, icon, name } (tool)}
      <Hint text={name} side="right">
        {#snippet child(props)}
          <button
            {...props}
            role="radio"
            aria-checked={desk.tool === tool}
            aria-label={name}
            onclick={() => (desk.tool = tool)}><Icon name={icon} size={19} /></button
          >
        {/snippet}
      </Hint>
    {/each}
  </div>
  <button
    class="all"
    aria-pressed={desk.allFrames}
    title={desk.allFrames
      ? "A change moves every key of the shape by as much"
      : "A change sets a key on this frame"}
    onclick={() => (desk.allFrames = !desk.allFrames)}
    >{desk.allFrames ? "all frames" : "this frame"}</button
  >
</div>

<style>
  .tools {
    position: absolute;
    left: 10px;
    top: 12px;
    width: 44px;
    background: var(--card);
    border-radius: 6px;
    box-shadow: 0 2px 10px rgb(0 0 0 / 0.35);
    padding: 4px;
    cursor: default;
  }
  div[role] {
    display: grid;
    gap: 2px;
    justify-items: center;
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
  button[aria-checked="true"],
  .all[aria-pressed="true"] {
    border-color: var(--ink);
    background: var(--paper);
  }
  .all {
    width: 36px;
    height: auto;
    margin-top: 4px;
    padding: 2px 0;
    border-top: 1px solid var(--rule);
    font-size: 11px;
    line-height: 1.15;
  }
</style>
