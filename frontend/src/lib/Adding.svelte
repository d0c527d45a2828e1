<!-- A menu of what can be added, each with what it does, or with what it lacks. -->
<script lang="ts">
  import { DropdownMenu } from "bits-ui";
  import type { DeclaredOut } from "./api-types";
  import Icon from "./Icon.svelte";

  let {
    what,
    says,
    items,
    lacks = () => "",
    add,
  }: {
    what: string;
    /** Its name for those who do not see the plus sign. */
    says?: string;
    items: DeclaredOut[];
    lacks?: (item: DeclaredOut) => string;
    add: (item: DeclaredOut) => void;
  } = $props();
</script>

<DropdownMenu.Root>
  <DropdownMenu.Trigger class="btn-bare" aria-label={says}
    ><Icon name="plus" size={13} /> {what}</DropdownMenu.Trigger
  >
  <DropdownMenu.Portal>
    <DropdownMenu.Content class="menu" align="end">
      {#each items as item (item.kind)}
        <DropdownMenu.Item class="menu-item" disabled={!!lacks(item)} onSelect={() => add(item)}>
          {item.label}<small>{lacks(item) || item.hint}</small>
        </DropdownMenu.Item>
      {/each}
    </DropdownMenu.Content>
  </DropdownMenu.Portal>
</DropdownMenu.Root>
