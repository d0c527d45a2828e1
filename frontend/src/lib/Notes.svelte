<script lang="ts">
  import { notes } from "./notes.svelte";
</script>

<div class="notes" role="status" aria-live="polite">
  {#each notes.list as note (note.id)}
    <div class="note" class:fault={note.kind === "fault"}>
      <div>
        <strong>{note.text}</strong>
        {#if note.detail}<span>{note.detail}</span>{/if}
        {#if note.deed}
          <button class="btn" onclick={() => (note.deed!.run(), notes.drop(note.id))}
            >{note.deed.label}</button
          >
        {/if}
      </div>
      <button class="btn-bare" onclick={() => notes.drop(note.id)} aria-label="Close this note"
        >✕</button
      >
    </div>
  {/each}
</div>

<style>
  .notes {
    position: fixed;
    bottom: 14px;
    left: 50%;
    translate: -50%;
    z-index: 90;
    display: grid;
    gap: 6px;
    max-width: 620px;
  }
  .note {
    display: flex;
    align-items: start;
    gap: 10px;
    border: 1px solid var(--ink);
    border-radius: 6px;
    background: var(--card);
    padding: 8px 8px 8px 13px;
    box-shadow: 0 4px 18px rgb(0 0 0 / 0.28);
  }
  .fault {
    border-left: 5px solid var(--red);
  }
  .note span {
    display: block;
    color: var(--quiet);
  }
</style>
