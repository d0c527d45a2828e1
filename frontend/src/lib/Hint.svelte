<script lang="ts">
  import { Tooltip } from "bits-ui";
  import type { Snippet } from "svelte";

  type Props = {
    text: string;
    keys?: string;
    side?: "top" | "bottom" | "left" | "right";
    child: Snippet<[Record<string, unknown>]>;
  };
  let { text, keys = "", side = "bottom", child: inner }: Props = $props();
</script>

<Tooltip.Root>
  <Tooltip.Trigger>
    {#snippet child({ props })}
      {@render inner(props)}
    {/snippet}
  </Tooltip.Trigger>
  <Tooltip.Portal>
    <Tooltip.Content {side} sideOffset={6} class="hint">
      {text}{#if keys}<kbd>{keys}</kbd>{/if}
    </Tooltip.Content>
  </Tooltip.Portal>
</Tooltip.Root>

<style>
  :global(.hint) {
    z-index: 80;
    max-width: 260px;
    background: var(--ink);
    color: var(--on-ink);
    border-radius: 4px;
    padding: 4px 8px;
    font-size: 12px;
  }
  :global(.hint kbd) {
    margin-left: 7px;
    font-family: var(--font-mono);
    font-size: 11px;
    opacity: 0.85;
    border: 1px solid currentColor;
    border-radius: 3px;
    padding: 0 4px;
  }
</style>
