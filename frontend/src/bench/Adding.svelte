<!-- A menu of what can be added to the bench, each with what it does, or with what it lacks. -->
<script lang="ts">
  import { DropdownMenu } from "bits-ui";
  import type { DeclaredOut } from "../lib/api-types";
  import Icon from "../lib/Icon.svelte";

  let {
    what,
    items,
    lacks = () => "",
    add,
  }: {
    what: string;
    items: DeclaredOut[];
    lacks?: (item: DeclaredOut) => string;
    add: (kind: string) => void;
  } = $props();
</script>

<DropdownMenu.Root>
  <DropdownMenu.Trigger class="btn-bare"><Icon name="plus" size={13} /> {what}</DropdownMenu.Trigger
  >
  <DropdownMenu.Portal>
    <DropdownMenu.Content class="menu" align="end">
      {#each items as item (item.kind)}
        <DropdownMenu.Item
          class="menu-item"
          disabled={!!lacks(item)}
          onSelect={() => add(item.kind)}
        >
          {item.label}<small>{lacks(item) || item.hint}</small>
        </DropdownMenu.Item>
      {/each}
    </DropdownMenu.Content>
  </DropdownMenu.Portal>
</DropdownMenu.Root>
