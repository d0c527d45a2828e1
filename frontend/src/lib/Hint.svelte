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
    <Tooltip.Content
      {side}
      sideOffset={6}
      class="z-80 max-w-64 rounded bg-ink px-2 py-1 text-xs text-on-ink"
    >
      {text}{#if keys}<kbd
          class="ml-2 rounded-sm border border-current px-1 font-mono text-[11px] opacity-85"
          >{keys}</kbd
        >{/if}
    </Tooltip.Content>
  </Tooltip.Portal>
</Tooltip.Root>
