<!-- What else can be done with a thing, behind three dots. -->
<script lang="ts" module>
  export type Choice = { label: string; hint?: string; run: () => void };
</script>

<script lang="ts">
  import { DropdownMenu } from "bits-ui";
  import Icon from "../lib/Icon.svelte";

  let {
    name,
    choices,
    class: more,
  }: { name: string; choices: Choice[]; class?: string } = $props();
</script>

<DropdownMenu.Root>
  <DropdownMenu.Trigger
    aria-label={name}
    class={[
      "grid size-6 place-items-center rounded text-quiet hover:bg-ink/8 hover:text-ink",
      more,
    ]}><Icon name="more" size={15} /></DropdownMenu.Trigger
  >
  <DropdownMenu.Portal>
    <DropdownMenu.Content class="menu" align="end" sideOffset={2}>
      {#each choices as choice (choice.label)}
        <DropdownMenu.Item class="menu-item" onSelect={choice.run}
          >{choice.label}{#if choice.hint}<small>{choice.hint}</small>{/if}</DropdownMenu.Item
        >
      {/each}
    </DropdownMenu.Content>
  </DropdownMenu.Portal>
</DropdownMenu.Root>
