<script lang="ts">
  import type { Ease, Ring } from "../lib/values";

  /** Whether a value is keyed on this frame, elsewhere or not at all, and how it leaves the key that is here. */
  type Props = {
    name: string;
    ring: Ring;
    ease: Ease | undefined;
    onkey: () => void;
    onease: () => void;
  };
  let { name, ring, ease, onkey, onease }: Props = $props();
  const easeLines = {
    smooth: "M2 10 C6 10 6 2 10 2",
    linear: "M2 10 L10 2",
    hold: "M2 10 H9 V2",
    free: "M2 10 C2 3 5 1 10 2 M2 6 V10 M1 6 H3",
  };
</script>

<span class="flex items-center justify-end">
  {#if ease}
    <button
      class="grid min-h-6 min-w-6 place-items-center"
      aria-label={`${name}: ease is ${ease}`}
      title={`Leaves this key: ${ease}`}
      onclick={onease}
    >
      <svg width="12" height="12" viewBox="0 0 12 12"
        ><path d={easeLines[ease]} fill="none" stroke="currentColor" stroke-width="1.5" /></svg
      >
    </button>
  {/if}
  <button
    class="group grid size-6 place-items-center"
    data-ring={ring}
    aria-label={`${name}: ${ring === "here" ? "keyed here" : ring === "elsewhere" ? "keyed elsewhere" : "no keyframe"}`}
    title={`Keyframe (K): ${ring === "here" ? "keyed here" : ring === "elsewhere" ? "keyed elsewhere" : "none"}`}
    onclick={onkey}
    ><!-- the ring is small, what takes the press is not --><span
      class="grid size-3 place-items-center rounded-full border-[1.5px] border-quiet group-data-[ring=elsewhere]:border-[2.4px] group-data-[ring=elsewhere]:border-ink group-data-[ring=here]:border-ink"
      >{#if ring === "here"}<span class="size-1.5 rounded-full bg-ink"></span>{/if}</span
    ></button
  >
</span>
