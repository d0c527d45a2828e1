<!-- What can be done with a thing, where it is pressed with the other button; the same as behind its three dots. -->
<script lang="ts">
  import { ContextMenu } from "bits-ui";
  import type { Snippet } from "svelte";
  import type { Choice } from "./Menu.svelte";

  type Props = { choices: Choice[]; child: Snippet<[Record<string, unknown>]> };
  let { choices, child: inner }: Props = $props();
</script>

<ContextMenu.Root>
  <ContextMenu.Trigger>
    {#snippet child({ props })}{@render inner(props)}{/snippet}
  </ContextMenu.Trigger>
  <ContextMenu.Portal>
    <ContextMenu.Content class="menu">
      {#each choices as choice (choice.label)}
        <ContextMenu.Item class="menu-item" onSelect={choice.run}
          >{choice.label}{#if choice.hint}<small>{choice.hint}</small>{/if}</ContextMenu.Item
        >
      {/each}
    </ContextMenu.Content>
  </ContextMenu.Portal>
</ContextMenu.Root>
