<!-- A curve over the frame's own histogram: points are added, dragged, taken away. -->
<script lang="ts">
  import { api } from "../../lib/api";
  import type { FieldOut } from "../../lib/api-types";
  import { curveAt, type Rows } from "../../lib/curves";
  import type { Desk } from "../../desk/desk.svelte";
  import { newGesture } from "../../lib/values";

  type Props = {
    desk: Desk;
    field: FieldOut;
    name: string;
    value: Rows;
    onset: (value: Rows, gesture?: string | null) => void;
    onreset: () => void;
  };
  let { desk, field, name, value, onset, onreset }: Props = $props();
  const [wide, high] = [200, 84];
  const MOST = 64;
  const SHADES: Partial<Record<string, string>> = {
    red: "fill-red/45",
    green: "fill-[#4f8f5a]/50",
    blue: "fill-blue/50",
  };
  let bins = $state.raw<number[]>([]);
  let area = $state<SVGSVGElement>();
  let held = $state<number | null>(null);
  let gesture = "";

  // the histogram waits until the hand rests
  $effect(() => {
    const frame = desk.playback.frame;
    if (desk.playback.playing) return;
    const wait = setTimeout(() => {
      void api.spread(desk.shot.id, frame).then(
        (found) => frame === desk.playback.frame && (bins = found[field.over ?? "luma"]),
        () => {},
      );
    }, 120);
    return () => clearTimeout(wait);
  });

  const x = (v: number) => v * wide;
  const y = (v: number) => high - ((v - field.low) / (field.high - field.low)) * high;
  const line = $derived(
    Array.from({ length: 67 }, (_, i) => i / 66)
      .map((t) => `${x(t).toFixed(1)} ${y(curveAt(value, t)).toFixed(1)}`)
      .join("L"),
  );
  const shade = $derived(
    bins.length
      ? `M0 ${high}L${bins.map((v, i) => `${((i / (bins.length - 1)) * wide).toFixed(1)} ${(high - v * high * 0.92).toFixed(1)}`).join("L")}L${wide} ${high}Z`
      : "",
  );

  function at(event: PointerEvent | MouseEvent): [number, number] {
    const box = area!.getBoundingClientRect();
    const t = (event.clientX - box.left) / box.width;
    const v = field.high - ((event.clientY - box.top) / box.height) * (field.high - field.low);
    return [clamp(t, 0, 1), clamp(v, field.low, field.high)];
  }
  const clamp = (v: number, low: number, top: number) => Math.max(low, Math.min(top, v));
  const rounded = (v: number) => Math.round(v * 1e4) / 1e4;

  /** A point where it may lie: between its neighbours. */
  function moved(i: number, [px, py]: [number, number]): Rows {
    const low = i > 0 ? value[i - 1][0] + 0.005 : 0;
    const top = i + 1 < value.length ? value[i + 1][0] - 0.005 : 1;
    const next = [rounded(clamp(px, low, top)), rounded(clamp(py, field.low, field.high))];
    return value.map((p, k) => (k === i ? next : p));
  }

  function press(event: PointerEvent) {
    if (event.target !== area && !(event.target as Element).matches(".line")) return;
    const [px, py] = at(event);
    if (value.length >= MOST || value.some((p) => Math.abs(p[0] - px) < 0.01)) return;
    const next = [...value, [rounded(px), rounded(py)]].sort((a, b) => a[0] - b[0]);
    gesture = newGesture();
    onset(next, gesture);
    held = next.findIndex((p) => p[0] === rounded(px));
    area!.setPointerCapture(event.pointerId);
  }

  function drag(event: PointerEvent) {
    if (held !== null) onset(moved(held, at(event)), gesture);
  }

  function key(event: KeyboardEvent, i: number) {
    const step = event.shiftKey ? 0.1 : 0.01;
    const span = field.high - field.low;
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[
      event.key
    ];
    if ((event.key === "Delete" || event.key === "Backspace") && value.length > 1)
      onset(value.filter((_, k) => k !== i));
    else if (way)
      onset(moved(i, [value[i][0] + way[0] * step, value[i][1] + way[1] * step * span]));
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<svg
  bind:this={area}
  class="mb-1 block h-[84px] w-full touch-none overflow-visible rounded-sm border border-rule bg-sheet"
  viewBox="0 0 {wide} {high}"
  preserveAspectRatio="none"
  style:background-image={field.over === "wheel"
    ? "linear-gradient(to right, #d66, #cc5, #6b6, #5bb, #67d, #b6b, #d66)"
    : undefined}
  role="group"
  aria-label={`${name}: points`}
  onpointerdown={press}
  onpointermove={drag}
  onpointerup={() => (held = null)}
  ondblclick={(e) => e.target === area && onreset()}
>
  <path d={shade} class={["pointer-events-none", SHADES[field.over ?? "luma"] ?? "fill-rule"]} />
  <path
    d="M{wide / 4} 0V{high}M{wide / 2} 0V{high}M{wide * 0.75} 0V{high}M0 {high / 2}H{wide}"
    class="pointer-events-none stroke-faint"
    vector-effect="non-scaling-stroke"
  />
  <path
    d="M{line}"
    class="line fill-none stroke-ink"
    stroke-width="1.6"
    vector-effect="non-scaling-stroke"
  />
  {#each value as point, i (i)}
    <rect
      x={x(point[0]) - 5}
      y={y(point[1]) - 5}
      width="10"
      height="10"
      rx="5"
      class="cursor-grab fill-card stroke-ink focus-visible:stroke-blue"
      stroke-width={held === i ? 2.6 : 1.6}
      role="button"
      tabindex="0"
      aria-label={`${name}: point ${i + 1} at ${point[0].toFixed(2)}, ${point[1].toFixed(2)}`}
      onpointerdown={(e) => {
        gesture = newGesture();
        held = i;
        area!.setPointerCapture(e.pointerId);
      }}
      ondblclick={() => value.length > 1 && onset(value.filter((_, k) => k !== i))}
      onkeydown={(e) => key(e, i)}
    />
  {/each}
</svg>
