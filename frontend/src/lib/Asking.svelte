<script lang="ts">
  import { Dialog } from "bits-ui";
  import Button from "../ui/Button.svelte";
  import { asking } from "./asking.svelte";

  const question = $derived(asking.question);
  let text = $derived(question?.value ?? "");
  const ready = $derived(question?.value === null || text.trim() !== "");
</script>

<Dialog.Root bind:open={() => question !== null, (open) => !open && asking.answer(null)}>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-70 bg-black/45" />
    <Dialog.Content
      class="fixed top-1/2 left-1/2 z-71 w-[min(420px,92vw)] -translate-1/2 rounded-lg border border-ink bg-sheet px-4.5 py-3.5"
    >
      <Dialog.Title level={2} class="text-base font-semibold">{question?.title}</Dialog.Title>
      <Dialog.Description class="mb-2 text-quiet">{question?.detail}</Dialog.Description>
      <form
        class="flex items-center gap-2"
        onsubmit={(event) => {
          event.preventDefault();
          if (ready) asking.answer(text.trim());
        }}
      >
        {#if question && question.value !== null}
          <input
            class="field min-w-0 flex-1"
            aria-label="Name"
            maxlength="120"
            bind:value={text}
            onfocus={(event) => event.currentTarget.select()}
          />
        {:else}<span class="flex-1"></span>{/if}
        <Button kind="main" type="submit" disabled={!ready}>{question?.deed}</Button>
        <Button onclick={() => asking.answer(null)}>Cancel</Button>
      </form>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
