<!-- A number with its unit: typed with it or not, as a sum too, stepped by arrow keys, with Shift by ten. -->
<script lang="ts">
  import { summed } from "../lib/sum";
  import { newGesture } from "../lib/values";

  type Props = {
    name: string;
    value: number;
    low?: number;
    high?: number;
    step?: number;
    unit?: string;
    decimals?: number;
    /** Whether it is dragged to the left and right, with Shift finely. */
    drags?: boolean;
    class?: string;
    /** gesture: the same for all that one drag sets. */
    onset: (value: number, gesture?: string | null) => void;
  };
  let {
    name,
    value,
    low = -Infinity,
    high = Infinity,
    step = 1,
    unit = "",
    decimals = step >= 1 ? 0 : step >= 0.1 ? 1 : 2,
    drags = false,
    class: more,
    onset,
  }: Props = $props();
  let typing = $state<string | null>(null);
  /** A press that may become a drag: where it began, and what the value was; its gesture once it is one. */
  let held: { x: number; value: number; gesture: string } | null = null;
  const SLIP = 4; // pixels that a press may move without being a drag

  function set(number: number, gesture: string | null = null) {
    typing = null;
    onset(Math.max(low, Math.min(high, number)), gesture);
  }

  function press(event: PointerEvent & { currentTarget: HTMLInputElement }) {
    // in a field that is being typed in, a drag marks its text
    if (!drags || event.button !== 0 || document.activeElement === event.currentTarget) return;
    held = { x: event.clientX, value, gesture: "" };
  }

  function drag(event: PointerEvent & { currentTarget: HTMLInputElement }) {
    if (!held || !(event.buttons & 1)) return;
    const by = event.clientX - held.x;
    if (!held.gesture && Math.abs(by) < SLIP) return;
    if (!held.gesture) {
      held.gesture = newGesture();
      event.currentTarget.setPointerCapture(event.pointerId);
      event.currentTarget.blur();
    }
    const moved = held.value + by * step * (event.shiftKey ? 0.1 : 1);
    set(Math.round(moved * 1e4) / 1e4, held.gesture);
  }

  function release(event: PointerEvent & { currentTarget: HTMLInputElement }) {
    if (held?.gesture) event.currentTarget.blur();
    held = null;
  }

  function typed(text: string) {
    typing = null;
    const found = summed(text); // what is no number leaves the value as it was
    if (found !== null) set(found);
  }

  function key(event: KeyboardEvent & { currentTarget: HTMLInputElement }) {
    if (event.key === "Enter") event.currentTarget.blur();
    if (event.key === "Escape") {
      typing = null;
      event.currentTarget.blur();
    }
    if (event.key !== "ArrowUp" && event.key !== "ArrowDown") return;
    event.preventDefault();
    const by = step * (event.shiftKey ? 10 : 1) * (event.key === "ArrowUp" ? 1 : -1);
    set(Math.round((value + by) * 1e4) / 1e4);
  }
</script>

<span class={["flex min-w-0 items-baseline gap-0.5 font-mono text-xs", more]}>
  <input
    type="text"
    inputmode="decimal"
    aria-label={name}
    class={[
      "min-h-6 w-full min-w-0 flex-1 rounded-sm bg-transparent px-px text-right hover:bg-paper focus:bg-paper",
      drags && "touch-pan-y not-focus:cursor-ew-resize",
    ]}
    value={typing ?? value.toFixed(decimals)}
    onfocus={(e) => e.currentTarget.select()}
    oninput={(e) => (typing = e.currentTarget.value)}
    onblur={(e) => typing !== null && typed(e.currentTarget.value)}
    onkeydown={key}
    onpointerdown={press}
    onpointermove={drag}
    onpointerup={release}
    onpointercancel={release}
  />{#if unit}<small class="font-cond text-[10px] text-quiet">{unit}</small>{/if}
</span>
