<!-- The next step, named until it was taken once. -->
<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import { known, learn, nextStep, type Step } from "./steps";

  let { desk }: { desk: Desk } = $props();
  let learnt = $state.raw(known());
  const step = $derived(nextStep(desk));
  let before: Step | null = null;

  $effect(() => {
    // a step that was named here and is done now has been understood
    if (
      before &&
      before.id !== step?.id &&
      (!step || ORDER.indexOf(step.id) > ORDER.indexOf(before.id))
    )
      forget(before.id);
    before = step;
  });

  const ORDER = ["matte", "plate", "mark", "follow", "doubt", "treat", "export"];

  function forget(id: string) {
    learn(id);
    learnt = known();
  }
</script>

{#if step && !learnt.has(step.id)}
  <span
    class="flex min-w-0 items-center gap-2 rounded bg-[#f3efe6] px-2 py-0.5 text-[#25262a]"
    role="note"
    aria-label="Next step"
  >
    <span class="min-w-0 truncate" title={step.says}>{step.says}</span>
    {#if step.deed}
      <button class="flex-none underline underline-offset-2" onclick={step.deed.run}
        >{step.deed.label}</button
      >
    {/if}
    <button
      class="flex-none"
      aria-label="Do not name this step again"
      onclick={() => forget(step.id)}>✕</button
    >
  </span>
{/if}
