<script lang="ts">
  import Button from "../ui/Button.svelte";
  import { notes } from "./notes.svelte";
</script>

<div
  class="fixed bottom-3.5 left-1/2 z-90 grid max-w-[620px] -translate-x-1/2 gap-1.5"
  role="status"
  aria-live="polite"
>
  {#each notes.list as note (note.id)}
    <div
      class={[
        "note flex items-start gap-2.5 rounded-md border border-ink bg-card py-2 pr-2 pl-3 shadow-float",
        note.kind === "fault" && "border-l-5 border-l-red",
      ]}
    >
      <div>
        <strong>{note.text}</strong>
        {#if note.detail}<span class="block text-quiet">{note.detail}</span>{/if}
        {#if note.deed}
          <Button onclick={() => (note.deed?.run(), notes.drop(note.id))}>{note.deed.label}</Button>
        {/if}
      </div>
      <Button kind="bare" onclick={() => notes.drop(note.id)} aria-label="Close this note">✕</Button
      >
    </div>
  {/each}
</div>
