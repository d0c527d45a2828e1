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

<span class="key">
  {#if ease}
    <button
      class="ease"
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
    class="keyring {ring}"
    aria-label={`${name}: ${ring === "here" ? "keyed here" : ring === "elsewhere" ? "keyed elsewhere" : "no keyframe"}`}
    title={`Keyframe (K): ${ring === "here" ? "keyed here" : ring === "elsewhere" ? "keyed elsewhere" : "none"}`}
    onclick={onkey}
  ></button>
</span>

<style>
  .key {
    display: flex;
    justify-content: end;
    align-items: center;
  }
  .ease {
    border: 0;
    background: none;
    min-width: 24px;
    min-height: 24px;
    padding: 0;
    line-height: 0;
  }
  /* the ring is small, what takes the press is not */
  .keyring {
    display: grid;
    place-items: center;
    width: 24px;
    height: 24px;
    border: 0;
    background: none;
    padding: 0;
  }
  .keyring::before {
    content: "";
    box-sizing: border-box;
    width: 12px;
    height: 12px;
    border-radius: 50%;
    border: 1.5px solid var(--quiet);
  }
  .keyring.here::before {
    border-color: var(--ink);
    background: radial-gradient(var(--ink) 0 3px, transparent 3.6px);
  }
  .keyring.elsewhere::before {
    border-color: var(--ink);
    border-width: 2.4px;
  }
</style>
