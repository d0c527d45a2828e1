<!-- The selected track over the picture: its way, its points, what it is followed by; and where a hand can put it. -->
<script lang="ts">
  import { Latest } from "../lib/latest";
  import { api } from "../lib/api";
  import type { Spot, Track } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { apply, growth } from "../lib/matrix";
  import { nudge, type Point } from "../lib/shapes";
  import { middleOf, outlineOn, placeOn, putOps, sinceOf, touched } from "../lib/tracks";
  import { newGesture } from "../lib/values";

  type Props = {
    desk: Desk;
    track: Track;
    scale: number;
    left: number;
    top: number;
    at: (event: PointerEvent | MouseEvent) => Point;
  };
  let { desk, track, scale, left, top, at }: Props = $props();
  const AROUND = 40; // frames of its way, ahead and back
  const shot = $derived(desk.shot);
  const frame = $derived(desk.playback.seen);
  const path = $derived(desk.motions.paths.get(track.id));
  const since = $derived(sinceOf(path, frame));
  let moving = $state.raw<Point[] | null>(null);
  const places = $derived(moving ?? placeOn(track, path, frame));
  const known = $derived(touched(track, frame) || shot.framesOf(track.id).has(frame));
  const line = $derived(track.kind === "region" ? outlineOn(track, places) : places);
  const radius = $derived(Number(track.params.radius ?? 12));
  const way = $derived(ways());
  const spots = $derived(
    (["less", "more"] as const).flatMap((side) =>
      track[side].map((spot) => ({ side, ...here(spot) })),
    ),
  );
  const asked = new Latest();
  let features = $state.raw<number[][]>([]);
  let drag: { how: number | "move"; from: Point; start: Point[]; gesture: string } | null = null;

  $effect(() => {
    const [id, number, row] = [track.id, frame, shot.frames.get(track.id)?.get(frame)];
    if (!row || desk.playback.playing || track.kind === "point") {
      features = [];
      return;
    }
    asked.ask(async () => {
      const found = await api.features(shot.id, id, number);
      if (id === track.id && number === frame) features = found.features;
    }, 60);
    return () => asked.drop();
  });

  function here(spot: Spot): { x: number; y: number; r: number } {
    const [x, y] = apply(since, [spot.x, spot.y]);
    return { x, y, r: spot.radius * growth(since, [spot.x, spot.y]) };
  }

  function ways(): { before: string; after: string } {
    const parts = { before: [] as Point[], after: [] as Point[] };
    const [first, last] = [Math.max(0, frame - AROUND), Math.min(shot.count - 1, frame + AROUND)];
    const frames = shot.framesOf(track.id);
    for (let n = first; n <= last; n++) {
      if (n !== frame && !frames.has(n)) continue;
      const middle = middleOf(n === frame ? places : placeOn(track, path, n));
      if (n <= frame) parts.before.push(middle);
      if (n >= frame) parts.after.push(middle);
    }
    const drawn = (points: Point[]) =>
      points.length > 1 ? `M${points.map((p) => p.join(" ")).join("L")}` : "";
    return { before: drawn(parts.before), after: drawn(parts.after) };
  }

  function put(next: Point[], label: string, gesture: string | null = null) {
    shot.edit(putOps(track, shot.trackPath(track.id), frame, next), label, gesture);
  }

  /** Where its places come to when something of it is dragged; a region keeps its form. */
  function dragged(start: Point[], how: number | "move", from: Point, to: Point): Point[] {
    const [dx, dy] = [to[0] - from[0], to[1] - from[1]];
    if (how === "move" || track.kind === "point") return start.map(([x, y]) => [x + dx, y + dy]);
    if (track.kind === "patch")
      return start.map(([x, y], n) => (n === how ? [x + dx, y + dy] : [x, y]));
    const middle = middleOf(start);
    const [u, v] = [from[0] - middle[0], from[1] - middle[1]];
    const [s, t] = [to[0] - middle[0], to[1] - middle[1]];
    const long = u * u + v * v || 1;
    const [c, k] = [(u * s + v * t) / long, (u * t - v * s) / long];
    return start.map(([x, y]) => {
      const [a, b] = [x - middle[0], y - middle[1]];
      return [middle[0] + c * a - k * b, middle[1] + k * a + c * b];
    });
  }

  function down(event: PointerEvent, how: number | "move") {
    if (event.button !== 0 || desk.tools.tool !== "arrow") return;
    event.stopPropagation();
    desk.playback.stop();
    drag = { how, from: at(event), start: places, gesture: newGesture() };
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
  }

  function move(event: PointerEvent) {
    if (drag) moving = dragged(drag.start, drag.how, drag.from, at(event));
  }

  function up() {
    if (drag && moving) put(moving, "put track", drag.gesture);
    drag = moving = null;
  }

  function nudged(event: KeyboardEvent, how: number | "move") {
    const by = nudge(event);
    if (!by) return;
    const from: Point = how === "move" ? [0, 0] : places[how];
    put(dragged(places, how, from, [from[0] + by[0], from[1] + by[1]]), "nudge track");
  }

  /** A feature that is pressed is left out from then on. */
  function leaveOut([x, y]: number[]) {
    desk.tools.spot(track, "less", [[x, y]], 5, desk.motions.paths.get(track.id), frame);
  }
</script>

{#if !desk.playback.playing || known}
  <svg class="over-picture" data-track={track.id} aria-label={`Track ${track.name}`}>
    <g transform={`translate(${left} ${top}) scale(${scale})`}>
      <path d={way.before} class="pale" stroke-width={3.6 / scale} />
      <path d={way.after} class="pale" stroke-width={3.6 / scale} />
      <path d={way.before} class="way" stroke-width={1.8 / scale} />
      <path
        d={way.after}
        class="way"
        stroke-width={1.8 / scale}
        stroke-dasharray={`${1.5 / scale} ${4 / scale}`}
      />
      {#each spots as spot, n (n)}
        <circle
          cx={spot.x}
          cy={spot.y}
          r={spot.r}
          class={spot.side}
          stroke-width={1.4 / scale}
          stroke-dasharray={spot.side === "less" ? `${4 / scale} ${3 / scale}` : undefined}
        />
      {/each}
      {#if track.kind === "point"}
        {@const [x, y] = places[0]}
        {@const r = radius}
        <rect
          x={x - r}
          y={y - r}
          width={2 * r}
          height={2 * r}
          class={["piece", !known && "guess"]}
          stroke-width={1.4 / scale}
          role="button"
          tabindex="0"
          aria-label={`${track.name}: drag, or arrow keys, to put it where it is`}
          onpointerdown={(e) => down(e, 0)}
          onpointermove={move}
          onpointerup={up}
          onkeydown={(e) => nudged(e, 0)}
        />
        <path
          d={`M${x - 6 / scale} ${y}h${12 / scale}M${x} ${y - 6 / scale}v${12 / scale}`}
          class="cross"
          stroke-width={1.6 / scale}
        />
      {:else}
        <path
          d={`M${line.map((p) => p.join(" ")).join("L")}Z`}
          class="pale"
          stroke-width={4 / scale}
        />
        <path
          d={`M${line.map((p) => p.join(" ")).join("L")}Z`}
          class={["piece", !known && "guess"]}
          stroke-width={1.8 / scale}
          role="button"
          tabindex="0"
          aria-label={`${track.name}: drag, or arrow keys, to put it where it is`}
          onpointerdown={(e) => down(e, "move")}
          onpointermove={move}
          onpointerup={up}
          onkeydown={(e) => nudged(e, "move")}
        />
        {#each features as [x, y, agrees], n (n)}
          <circle
            cx={x}
            cy={y}
            r={2.4 / scale}
            class={["feature", agrees < 0.5 && "apart"]}
            stroke-width={1 / scale}
            role="button"
            tabindex="-1"
            aria-label="Feature point: press to leave it out"
            onpointerdown={(e) => (e.stopPropagation(), leaveOut([x, y]))}
          />
        {/each}
        {#each places as [x, y], n (n)}
          <rect
            class="handle"
            x={x - 4.5 / scale}
            y={y - 4.5 / scale}
            width={9 / scale}
            height={9 / scale}
            rx={(track.kind === "region" ? 4.5 : 0) / scale}
            stroke-width={1.4 / scale}
            role="button"
            tabindex="0"
            aria-label={`Corner ${n + 1} of ${track.name}`}
            data-handle={`corner-${n}`}
            onpointerdown={(e) => down(e, n)}
            onpointermove={move}
            onpointerup={up}
            onkeydown={(e) => nudged(e, n)}
          />
        {/each}
      {/if}
    </g>
  </svg>
{/if}

<style>
  path,
  .piece,
  .less,
  .more {
    fill: none;
    stroke-linejoin: round;
    stroke-linecap: round;
  }
  .pale {
    stroke: rgb(255 255 255 / 0.6);
  }
  .way,
  .piece {
    stroke: #3f8fc4;
  }
  .piece {
    fill: transparent;
    cursor: move;
    pointer-events: all;
  }
  .guess {
    stroke: #cf3f2b;
  }
  .cross,
  .more {
    stroke: #fff;
  }
  .less {
    stroke: #cf3f2b;
    fill: rgb(207 63 43 / 0.16);
  }
  .feature {
    fill: #3f8fc4;
    stroke: #fff;
    pointer-events: all;
    cursor: pointer;
  }
  .apart {
    fill: #cf3f2b;
  }
  .handle {
    fill: #fff;
    stroke: #25262a;
    pointer-events: all;
    cursor: grab;
  }
  .handle:focus-visible,
  .piece:focus-visible {
    outline: 2px solid #fff;
    outline-offset: 2px;
  }
</style>
