<script lang="ts">
  import type { Snippet } from "svelte";
  import type { Desk, Tool } from "../lib/desk.svelte";
  import Hint from "../lib/Hint.svelte";
  import Icon, { type IconName } from "../lib/Icon.svelte";

  /** The slim column of tools at the picture's edge; what stands below them is `children`. */
  type Props = {
    desk: Desk;
    label: string;
    tools: { tool: Tool & IconName; name: string; keys?: string }[];
    /** The tool that is in the hand, where that is not simply the desk's. */
    chosen?: Tool;
    children?: Snippet;
  };
  let { desk, label, tools, chosen, children }: Props = $props();
</script>

<div class="tools">
  <div role="radiogroup" aria-label={label}>
    {#each tools as { tool, name, keys } (tool)}
      <Hint text={name} {keys} side="right">
        {#snippet child(props)}
          <button
            {...props}
            role="radio"
            aria-checked={(chosen ?? desk.tool) === tool}
            aria-label={name}
            onclick={() => (desk.tool = tool)}><Icon name={tool} size={19} /></button
          >
        {/snippet}
      </Hint>
    {/each}
  </div>
  {@render children?.()}
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
  button[aria-checked="true"] {
    border-color: var(--ink);
    background: var(--paper);
  }
</style>
