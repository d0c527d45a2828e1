<!-- All keys, to be searched. -->
<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import { KEYS } from "../desk/keys";
  import Button from "../ui/Button.svelte";
  import Dialog from "../ui/Dialog.svelte";

  let { desk }: { desk: Desk } = $props();
  let wanted = $state("");
  const found = $derived(
    KEYS.filter((k) =>
      `${k.keys} ${k.says} ${k.group}`.toLowerCase().includes(wanted.trim().toLowerCase()),
    ),
  );
  const groups = $derived([...new Set(found.map((k) => k.group))]);
</script>

<Dialog title="Keys" open={desk.keysOpen} onclose={() => (desk.keysOpen = false)}>
  {#snippet head()}
    <input
      class="field"
      type="search"
      placeholder="Search"
      aria-label="Search the keys"
      bind:value={wanted}
    />
    <Button onclick={() => (desk.keysOpen = false)}>Close</Button>
  {/snippet}
  <div class="mt-2 columns-2 gap-8">
    {#each groups as group (group)}
      <section class="break-inside-avoid">
        <h3 class="mt-3 mb-1 border-b border-rule text-xs font-semibold text-quiet">{group}</h3>
        <dl class="grid grid-cols-[118px_1fr] gap-x-2 gap-y-1">
          {#each found.filter((k) => k.group === group) as key (key.says)}
            <dt>
              <kbd
                class="rounded border border-b-2 border-rule bg-card px-1.5 font-mono text-[11.5px]"
                >{key.keys}</kbd
              >
            </dt>
            <dd>{key.says}</dd>
          {/each}
        </dl>
      </section>
    {:else}
      <p>No key does that.</p>
    {/each}
  </div>
</Dialog>
