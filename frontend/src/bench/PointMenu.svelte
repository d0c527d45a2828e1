<!-- A place's name, and behind it what it can ride on. -->
<script lang="ts">
  import { DropdownMenu } from "bits-ui";
  import type { FieldOut, Riding } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { askRide, trackOfKeys } from "../desk/rides";
  import { keysOf } from "../lib/values";

  type Props = {
    desk: Desk;
    field: FieldOut;
    stored: unknown;
    path: string;
    name: string;
    onride: (riding: Riding) => void;
    onreset: () => void;
  };
  let { desk, field, stored, path, name, onride, onreset }: Props = $props();
</script>

<DropdownMenu.Root>
  <DropdownMenu.Trigger
    class="field-label min-h-6 text-left hover:text-ink hover:underline hover:decoration-dotted"
    title={field.hint}
    aria-label={`${name}: more`}>{field.label}</DropdownMenu.Trigger
  >
  <DropdownMenu.Portal>
    <DropdownMenu.Content class="menu" align="start">
      <DropdownMenu.Item class="menu-item" onSelect={() => askRide(desk, name, onride)}
        >Ride on a track …<small>it goes where the track goes from this frame on</small
        ></DropdownMenu.Item
      >
      {#if keysOf(stored).length > 1}
        <DropdownMenu.Item class="menu-item" onSelect={() => trackOfKeys(desk, path)}
          >Make its keyframes a track</DropdownMenu.Item
        >
      {/if}
      <DropdownMenu.Item class="menu-item" onSelect={onreset}
        >Back to where it began</DropdownMenu.Item
      >
    </DropdownMenu.Content>
  </DropdownMenu.Portal>
</DropdownMenu.Root>
