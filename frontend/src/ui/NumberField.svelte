<!-- A number with its unit: typed with it or not, as a sum too, stepped by arrow keys, with Shift by ten. -->
<script lang="ts">
  import { summed } from "../lib/sum";

  type Props = {
    name: string;
    value: number;
    low?: number;
    high?: number;
    step?: number;
    unit?: string;
    decimals?: number;
    class?: string;
    onset: (value: number) => void;
  };
  let {
    name,
    value,
    low = -Infinity,
    high = Infinity,
    step = 1,
    unit = "",
    decimals = step >= 1 ? 0 : step >= 0.1 ? 1 : 2,
    class: more,
    onset,
  }: Props = $props();
  let typing = $state<string | null>(null);

  function set(number: number) {
    typing = null;
    onset(Math.max(low, Math.min(high, number)));
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
    class="min-h-6 w-full min-w-0 flex-1 rounded-sm bg-transparent px-px text-right hover:bg-paper focus:bg-paper"
    value={typing ?? value.toFixed(decimals)}
    onfocus={(e) => e.currentTarget.select()}
    oninput={(e) => (typing = e.currentTarget.value)}
    onblur={(e) => typing !== null && typed(e.currentTarget.value)}
    onkeydown={key}
  />{#if unit}<small class="font-cond text-[10px] text-quiet">{unit}</small>{/if}
</span>
