<!-- A ramp of colours: stops are added on it, dragged, coloured, taken away. -->
<script lang="ts">
  import { rampAt, type Rows } from "../../lib/curves";
  import { fromHex, newGesture, toHex, type Rgb } from "../../lib/values";

  type Props = {
    name: string;
    value: Rows;
    onset: (value: Rows, gesture?: string | null) => void;
    onreset: () => void;
  };
  let { name, value, onset, onreset }: Props = $props();
  const MOST = 64;
  let bar = $state<HTMLDivElement>();
  let chosen = $state(0);
  let held = $state(false);
  let gesture = "";
  const here = $derived(Math.min(chosen, value.length - 1));
  const css = (rgb: number[]) => toHex(rgb.slice(-3) as Rgb);
  const ground = $derived(
    `linear-gradient(90deg, ${value.map((s) => `${css(s)} ${s[0] * 100}%`).join(", ")}${value.length === 1 ? `, ${css(value[0])} 100%` : ""})`,
  );
  const rounded = (v: number) => Math.round(Math.max(0, Math.min(1, v)) * 1e4) / 1e4;

  function placed(event: PointerEvent): number {
    const box = bar!.getBoundingClientRect();
    return rounded((event.clientX - box.left) / box.width);
  }

  function add(event: PointerEvent) {
    if (event.target !== bar || value.length >= MOST) return;
    const x = placed(event);
    const next = [...value, [x, ...rampAt(value, x)]].sort((a, b) => a[0] - b[0]);
    onset(next);
    chosen = next.findIndex((stop) => stop[0] === x);
  }

  function move(i: number, x: number) {
    const low = i > 0 ? value[i - 1][0] + 0.005 : 0;
    const top = i + 1 < value.length ? value[i + 1][0] - 0.005 : 1;
    const to = rounded(Math.max(low, Math.min(top, x)));
    onset(
      value.map((stop, k) => (k === i ? [to, ...stop.slice(1)] : stop)),
      gesture || null,
    );
  }

  function colour(hex: string) {
    gesture ||= newGesture();
    onset(
      value.map((stop, k) => (k === here ? [stop[0], ...fromHex(hex)] : stop)),
      gesture,
    );
  }

  function remove() {
    if (value.length > 1) onset(value.filter((_, k) => k !== here));
  }

  function key(event: KeyboardEvent, i: number) {
    const step = (event.shiftKey ? 0.1 : 0.01) * (event.key === "ArrowLeft" ? -1 : 1);
    if (event.key === "ArrowLeft" || event.key === "ArrowRight") move(i, value[i][0] + step);
    else if (event.key === "Delete" || event.key === "Backspace") remove();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<div class="mb-1 break-inside-avoid pb-1" role="group" aria-label={`${name}: stops`}>
  <!-- svelte-ignore a11y_no_static_element_interactions (its stops are buttons) -->
  <div
    bind:this={bar}
    class="relative mx-1.5 h-6 touch-none rounded-sm border border-rule"
    style:background={ground}
    onpointerdown={add}
    onpointermove={(e) => held && move(here, placed(e))}
    onpointerup={() => ((held = false), (gesture = ""))}
    ondblclick={(e) => e.target === bar && onreset()}
  >
    {#each value as stop, i (i)}
      <button
        type="button"
        class="absolute top-1/2 h-6 w-3 -translate-x-1/2 -translate-y-1/2 rounded-sm border-2 border-ink inset-ring inset-ring-card"
        class:outline={i === here}
        style:left={`${stop[0] * 100}%`}
        style:background={css(stop)}
        aria-label={`${name}: stop ${i + 1} at ${Math.round(stop[0] * 100)} %, ${css(stop)}`}
        aria-pressed={i === here}
        onpointerdown={(e) => {
          chosen = i;
          held = true;
          gesture = newGesture();
          bar!.setPointerCapture(e.pointerId);
        }}
        onfocus={() => (chosen = i)}
        onkeydown={(e) => key(e, i)}
      ></button>
    {/each}
  </div>
  <div class="mt-1 flex items-center gap-1.5 text-xs text-quiet">
    <input
      type="color"
      class="h-6 w-9 cursor-pointer rounded-[3px] border border-rule bg-transparent p-0.5"
      aria-label={`${name}: colour of stop ${here + 1}`}
      value={css(value[here])}
      oninput={(e) => colour(e.currentTarget.value)}
      onchange={() => (gesture = "")}
    />
    stop {here + 1} of {value.length}
    <button
      type="button"
      class="ml-auto min-h-6 rounded px-1.5 hover:bg-ink/8 disabled:opacity-50"
      disabled={value.length < 2}
      onclick={remove}>Take away</button
    >
  </div>
</div>
