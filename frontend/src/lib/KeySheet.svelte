<script lang="ts">
  import { Dialog } from "bits-ui";
  import type { Desk } from "./desk.svelte";
  import { KEYS } from "./keys";

  let { desk }: { desk: Desk } = $props();
  let wanted = $state("");
  const found = $derived(
    KEYS.filter((k) =>
      `${k.keys} ${k.says} ${k.group}`.toLowerCase().includes(wanted.trim().toLowerCase()),
    ),
  );
  const groups = $derived([...new Set(found.map((k) => k.group))]);
</script>

<Dialog.Root bind:open={desk.keysOpen}>
  <Dialog.Portal>
    <Dialog.Overlay class="keys-back" />
    <Dialog.Content class="keys-sheet">
      <div class="head">
        <Dialog.Title level={2}>Keys</Dialog.Title>
        <input
          class="field"
          type="search"
          placeholder="Search"
          aria-label="Search the keys"
          bind:value={wanted}
        />
        <Dialog.Close class="btn">Close</Dialog.Close>
      </div>
      <div class="columns">
        {#each groups as group (group)}
          <section>
            <h3>{group}</h3>
            <dl>
              {#each found.filter((k) => k.group === group) as key (key.says)}
                <dt><kbd>{key.keys}</kbd></dt>
                <dd>{key.says}</dd>
              {/each}
            </dl>
          </section>
        {:else}
          <p>No key does that.</p>
        {/each}
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>

<style>
  :global(.keys-back) {
    position: fixed;
    inset: 0;
    z-index: 70;
    background: rgb(20 20 20 / 0.45);
  }
  :global(.keys-sheet) {
    position: fixed;
    z-index: 71;
    left: 50%;
    top: 50%;
    translate: -50% -50%;
    width: min(720px, 92vw);
    max-height: 84vh;
    overflow: auto;
    background: var(--sheet);
    border: 1px solid var(--ink);
    border-radius: 8px;
    padding: 16px 20px;
  }
  .head {
    display: flex;
    gap: 12px;
    align-items: center;
  }
  .head :global(h2),
  .head :global([role="heading"]) {
    flex: 1;
    margin: 0;
    font-size: 17px;
    font-weight: 600;
  }
  .columns {
    columns: 2;
    column-gap: 34px;
    margin-top: 8px;
  }
  section {
    break-inside: avoid;
  }
  h3 {
    margin: 12px 0 4px;
    font-size: 12px;
    font-weight: 600;
    color: var(--quiet);
    border-bottom: 1px solid var(--rule);
  }
  dl {
    display: grid;
    grid-template-columns: 118px 1fr;
    gap: 4px 8px;
    margin: 0;
  }
  dd {
    margin: 0;
  }
  kbd {
    font-family: var(--font-mono);
    font-size: 11.5px;
    border: 1px solid var(--rule);
    border-bottom-width: 2px;
    border-radius: 4px;
    padding: 0 5px;
    background: var(--card);
  }
</style>
