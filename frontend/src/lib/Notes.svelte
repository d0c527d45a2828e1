<!-- Short notes, one at a time: at the foot of a page; on the desk over the title, where nothing is pressed. -->
<script lang="ts">
  import Button from "../ui/Button.svelte";
  import { notes } from "./notes.svelte";

  let { desk = false }: { desk?: boolean } = $props();
  const note = $derived(notes.list.at(-1) ?? null);
  const others = $derived(notes.list.length - 1);
</script>

<div
  class={[
    "fixed z-90",
    desk
      ? "top-[3px] left-1.5 w-[min(384px,32vw)] min-[1700px]:w-[560px]"
      : "bottom-3.5 left-1/2 max-w-[620px] -translate-x-1/2",
  ]}
  role="status"
  aria-live="polite"
>
  {#if note}
    {#key note.id}
      <div
        class={[
          "note group flex items-start gap-2 rounded-md border border-ink bg-card pr-1 pl-2.5 shadow-float",
          note.kind === "fault" && "border-l-5 border-l-red",
          desk
            ? "max-h-8.5 overflow-hidden py-0.5 text-xs leading-[14px] focus-within:max-h-none hover:max-h-none"
            : "py-2",
        ]}
      >
        <div class="min-w-0 flex-1">
          <strong
            class={desk
              ? "block truncate font-semibold group-focus-within:whitespace-normal group-hover:whitespace-normal"
              : ""}>{note.text}</strong
          >
          {#if note.detail}<span
              class={[
                "block text-quiet",
                desk &&
                  "truncate group-focus-within:whitespace-normal group-hover:whitespace-normal",
              ]}>{note.detail}</span
            >{/if}
          {#if note.deed && !desk}
            <Button onclick={() => (note.deed?.run(), notes.drop(note.id))}
              >{note.deed.label}</Button
            >
          {/if}
        </div>
        {#if note.deed && desk}<Button onclick={() => (note.deed?.run(), notes.drop(note.id))}
            >{note.deed.label}</Button
          >{/if}
        {#if others}<small class="self-center text-quiet" title="notes that wait behind it"
            >+{others}</small
          >{/if}
        <Button kind="bare" onclick={() => notes.drop(note.id)} aria-label="Close this note"
          >✕</Button
        >
      </div>
    {/key}
  {/if}
</div>
