<script lang="ts">
  /** How a frame lies along one scale, with the range that a key takes of it: its ends and ramps are dragged. */
  type Range = { low: number; high: number; softLow: number; softHigh: number };
  type Props = {
    label: string;
    bins: number[];
    ground: string;
    /** All in shares of the scale; on a circle they may lie beyond 0 and 1. */
    range: Range;
    circle?: boolean;
    /** One softness for both sides. */
    even?: boolean;
    onrange: (next: Range, done: boolean) => void;
  };
  let { label, bins, ground, range, circle = false, even = false, onrange }: Props = $props();
  let strip = $state<SVGSVGElement>();
  let held: { what: keyof Range; from: number; range: Range } | null = null;
  const turns = $derived(circle ? [-1, 0, 1] : [0]);
  const line = $derived(
    "M0 1" +
      bins
        .map((v, i) => `L${i / bins.length} ${1 - v}L${(i + 1) / bins.length} ${1 - v}`)
        .join("") +
      "L1 1Z",
  );

  function at(event: PointerEvent): number {
    const bounds = strip!.getBoundingClientRect();
    return (event.clientX - bounds.left) / bounds.width;
  }

  function down(event: PointerEvent) {
    const x = at(event);
    const ends: [keyof Range, number][] = [
      ["softLow", range.low - range.softLow],
      ["low", range.low],
      ["high", range.high],
      ["softHigh", range.high + range.softHigh],
    ];
    const far = (place: number) => Math.min(...turns.map((t) => Math.abs(place + t - x)));
    const [what] = ends.reduce((a, b) => (far(b[1]) < far(a[1]) - 1e-6 ? b : a));
    held = { what, from: x, range };
    strip!.setPointerCapture(event.pointerId);
  }

  function move(event: PointerEvent, done = false) {
    if (!held) return;
    const by = at(event) - held.from;
    const next = { ...held.range };
    if (held.what === "low") next.low = Math.min(next.low + by, next.high);
    else if (held.what === "high") next.high = Math.max(next.high + by, next.low);
    else {
      const soft = Math.max(0, next[held.what] + (held.what === "softLow" ? -by : by));
      next[held.what] = soft;
      if (even) next.softLow = next.softHigh = soft;
    }
    if (!circle) {
      next.low = Math.max(0, next.low);
      next.high = Math.min(1, next.high);
    }
    onrange(next, done);
    if (done) held = null;
  }
</script>

<div
  class="grid grid-cols-[44px_minmax(0,1fr)] items-center gap-1 text-xs text-quiet"
  title={`${label}: drag the ends of the range, or its slopes`}
>
  <span>{label}</span>
  <svg
    bind:this={strip}
    viewBox="0 0 1 1"
    preserveAspectRatio="none"
    style:background={ground}
    class="h-[26px] w-full cursor-ew-resize touch-none rounded-sm border border-rule"
    aria-hidden="true"
    onpointerdown={down}
    onpointermove={(e) => move(e)}
    onpointerup={(e) => move(e, true)}
  >
    <path
      d={line}
      class="fill-black/60 stroke-white/75 stroke-[0.7px]"
      vector-effect="non-scaling-stroke"
    />
    {#each turns as t (t)}
      <path
        class="fill-white/35 stroke-white stroke-2 drop-shadow-[0_0_1px_#000]"
        vector-effect="non-scaling-stroke"
        d={`M${range.low - range.softLow + t} 1L${range.low + t} 0.06L${range.high + t} 0.06L${range.high + range.softHigh + t} 1`}
      />
    {/each}
  </svg>
</div>
