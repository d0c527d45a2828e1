<!-- What the open cards hold that has a place on the picture: points as handles, angles as lines. -->
<script lang="ts">
  import type { Desk, Handle } from "../desk/desk.svelte";
  import { nudge, type Point } from "../lib/shapes";
  import { newGesture, type Xy } from "../lib/values";

  type Props = {
    desk: Desk;
    scale: number;
    left: number;
    top: number;
    at: (event: PointerEvent | MouseEvent) => Point;
  };
  let { desk, scale, left, top, at }: Props = $props();
  const plate = $derived(desk.shot.about.plate);
  const middle = $derived<Point>([plate.width / 2, plate.height / 2]);
  const long = $derived(70 / scale);
  const all = $derived([...desk.handles.entries()]);
  /** What an angle's line begins at: the first point of the same card, or the middle. */
  const anchors = $derived(
    new Map(
      all
        .filter(([, one]) => one.field.control === "point")
        .reverse()
        .map(([path, one]) => [folder(path), place(one)]),
    ),
  );
  let drag: { path: string; gesture: string } | null = null;

  const folder = (path: string) => path.slice(0, path.lastIndexOf("/"));
  const rounded = (v: number) => Math.round(v * 10) / 10;

  function place({ value }: Handle): Point {
    const [x, y] = value as Xy;
    return [middle[0] + x, middle[1] + y];
  }

  function anchor(path: string): Point {
    return anchors.get(folder(path)) ?? middle;
  }

  function tip(path: string, one: Handle): Point {
    const turn = ((one.value as number) * Math.PI) / 180;
    const [x, y] = anchor(path);
    return [x + Math.cos(turn) * long, y + Math.sin(turn) * long];
  }

  function down(event: PointerEvent, path: string) {
    if (event.button !== 0) return;
    event.stopPropagation();
    desk.playback.stop();
    drag = { path, gesture: newGesture() };
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
  }

  function move(event: PointerEvent, path: string, one: Handle) {
    if (drag?.path !== path) return;
    const to = at(event);
    if (one.field.control === "point") {
      const next: Xy = [rounded(to[0] - middle[0]), rounded(to[1] - middle[1])];
      return one.set(next, drag.gesture);
    }
    const from = anchor(path);
    const turn = (Math.atan2(to[1] - from[1], to[0] - from[0]) * 180) / Math.PI;
    // the way that is nearest to where it was, within what the field takes
    let next = turn + 360 * Math.round(((one.value as number) - turn) / 360);
    while (next < one.field.low) next += 360;
    while (next > one.field.high) next -= 360;
    one.set(event.shiftKey ? Math.round(next / 15) * 15 : rounded(next), drag.gesture);
  }

  function nudged(event: KeyboardEvent, one: Handle) {
    const by = nudge(event);
    if (!by) return;
    if (one.field.control !== "point") return one.set((one.value as number) + by[0] + by[1]);
    const [x, y] = one.value as Xy;
    one.set([rounded(x + by[0]), rounded(y + by[1])]);
  }
</script>

{#if all.length && !desk.playback.playing}
  <svg class="over-picture" aria-label="Handles">
    <g transform="translate({left} {top}) scale({scale})">
      {#each all as [path, one] (path)}
        {@const point = one.field.control === "point"}
        {@const [x, y] = point ? place(one) : tip(path, one)}
        {#if !point}
          {@const [fx, fy] = anchor(path)}
          <path
            d="M{fx} {fy}L{x} {y}"
            fill="none"
            stroke="#fff"
            stroke-width="1.6"
            stroke-dasharray="{4 / scale} {3 / scale}"
            vector-effect="non-scaling-stroke"
          />
        {/if}
        <circle
          cx={x}
          cy={y}
          r={(point ? 8 : 6) / scale}
          class="pointer-events-auto cursor-grab"
          fill="rgb(0 0 0 / 0.35)"
          stroke="#fff"
          stroke-width="2"
          vector-effect="non-scaling-stroke"
          role="button"
          tabindex="0"
          aria-label={`${one.name}: handle`}
          onpointerdown={(e) => down(e, path)}
          onpointermove={(e) => move(e, path, one)}
          onpointerup={() => (drag = null)}
          onkeydown={(e) => nudged(e, one)}><title>{one.name}</title></circle
        >
        {#if point}
          <path
            d="M{x - 3 / scale} {y}h{6 / scale}M{x} {y - 3 / scale}v{6 / scale}"
            stroke="#fff"
            stroke-width="1.6"
            vector-effect="non-scaling-stroke"
          />
        {/if}
      {/each}
    </g>
  </svg>
{/if}
