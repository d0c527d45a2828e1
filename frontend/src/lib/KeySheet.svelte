<!-- All keys, to be searched; Enter or a press does what the key does. -->
<script lang="ts">
  import { Command } from "bits-ui";
  import type { Desk } from "../desk/desk.svelte";
  import { KEYS, type Key } from "../desk/shortcuts";
  import Button from "../ui/Button.svelte";
  import Dialog from "../ui/Dialog.svelte";

  let { desk }: { desk: Desk } = $props();
  const groups = [...new Set(KEYS.map((key) => key.group))];

  const finds = (value: string, wanted: string) =>
    value.toLowerCase().includes(wanted.trim().toLowerCase()) ? 1 : 0;

  function run(key: Key) {
    desk.keysOpen = false;
    // the sheet gives the focus back first: a deed may want it elsewhere
    setTimeout(() => key.run(desk, new KeyboardEvent("keydown")));
  }
</script>

<Dialog title="Keys" open={desk.keysOpen} onclose={() => (desk.keysOpen = false)}>
  <Command.Root label="Search the keys" filter={finds} loop class="mt-1">
    <div class="flex items-center gap-3">
      <Command.Input class="field flex-1" placeholder="Search, and Enter does it" />
      <Button onclick={() => (desk.keysOpen = false)}>Close</Button>
    </div>
    <Command.List>
      <Command.Viewport class="mt-2 columns-2 gap-8">
        <Command.Empty>No key does that.</Command.Empty>
        {#each groups as group (group)}
          <Command.Group value={group} class="break-inside-avoid">
            <Command.GroupHeading
              class="mt-3 mb-1 border-b border-rule text-xs font-semibold text-quiet"
              >{group}</Command.GroupHeading
            >
            <Command.GroupItems>
              {#each KEYS.filter((key) => key.group === group) as key (key.says)}
                <Command.Item
                  value={`${key.keys} ${key.says} ${group}`}
                  onSelect={() => run(key)}
                  class="grid min-h-6 cursor-pointer grid-cols-[118px_1fr] items-center gap-x-2 rounded-sm px-1 data-selected:bg-stand"
                >
                  <kbd
                    class="justify-self-start rounded border border-b-2 border-rule bg-card px-1.5 font-mono text-[11.5px]"
                    >{key.keys}</kbd
                  >
                  <span>{key.says}</span>
                </Command.Item>
              {/each}
            </Command.GroupItems>
          </Command.Group>
        {/each}
      </Command.Viewport>
    </Command.List>
  </Command.Root>
</Dialog>
