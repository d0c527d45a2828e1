<!-- A camera's scene over the picture: its points, to be chosen, and its ground; of a card the outline, with handles. -->
<script lang="ts">
  import { Latest } from "../lib/latest";
  import { api } from "../lib/api";
  import type { Plane, Track } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { ownSize } from "../lib/placement";
  import {
    along, axesOf, cardAt, dot, eyeOf, minus, rayOf, seenAt, solvedOf, stoodAt, toldOf, viewOn, type CardValues, type Xyz,
  } from "../lib/scene"; // prettier-ignore
  import { nudge, type Point } from "../lib/shapes";
  import { newGesture, withValue } from "../lib/values";

  type Props = {
    desk: Desk;
    track: Track;
    plane?: Plane;
    scale: number;
    left: number;
    top: number;
    at: (event: PointerEvent | MouseEvent) => Point;
  };
  let { desk, track, plane, scale, left, top, at }: Props = $props();
  const shot = $derived(desk.shot);
  const frame = $derived(desk.playback.seen);
  const scene = $derived(desk.motions.scenes.get(track.id));
  const view = $derived(viewOn(scene, frame));
  const size = $derived<Point>([shot.about.plate.width, shot.about.plate.height]);
  const axes = $derived(axesOf(track.space));
  const asked = new Latest();
  let features = $state.raw<number[][]>([]);

  // the features of the frame, as it was followed
  $effect(() => {
    const [id, number, row] = [track.id, frame, shot.frames.get(track.id)?.get(frame)];
    if (plane || !row || desk.playback.playing) {
      features = [];
      return;
    }
    asked.ask(async () => {
      const found = await api.features(shot.id, id, number);
      if (id === track.id && number === frame) features = found.features;
    }, 60);
    return () => asked.drop();
  });

  const points = $derived(
    plane || !view || desk.playback.playing
      ? []
      : scene!.points.flatMap((one, n) => {
          const seen = seenAt(view, scene!.bend, size, one as Xyz);
          const inside = seen && seen[0] >= 0 && seen[1] >= 0 && seen[0] <= size[0] && seen[1] <= size[1]; // prettier-ignore
          return inside ? [{ n, at: seen }] : [];
        }),
  );

  const eye = $derived(view ? toldOf(axes, eyeOf(view)) : null);
  /** The ground as a grid of whole steps about where the camera looks, drawn as far as it is seen. */
  const grid = $derived.by(() => {
    if (!view || !eye || scene?.still) return "";
    const step = 10 ** Math.round(Math.log10(Math.max(Math.abs(eye[1]), 1e-3)));
    const ahead = toldOf(axes, along(eyeOf(view), rayOf(view, scene!.bend, size, [size[0] / 2, size[1]]), 1)); // prettier-ignore
    const way = minus(ahead, eye);
    const reach = way[1] < -1e-6 ? Math.min(-eye[1] / way[1], 50) : 4;
    const middle = [eye[0] + way[0] * reach, eye[2] + way[2] * reach].map((n) => Math.round(n / step) * step); // prettier-ignore
    const out: string[] = [];
    const half = 10;
    for (let k = -half; k <= half; k++)
      for (const across of [true, false]) {
        let pen = false;
        for (let m = -half; m <= half; m++) {
          const [x, z] = across ? [m, k] : [k, m];
          const place: Xyz = [middle[0] + x * step, 0, middle[1] + z * step];
          const seen = seenAt(view, scene!.bend, size, solvedOf(axes, place));
          const near =
            seen && Math.abs(seen[0] - size[0] / 2) < 2.5 * size[0] && seen[1] < 2.5 * size[1];
          if (near) out.push(`${pen ? "L" : "M"}${seen[0].toFixed(1)} ${seen[1].toFixed(1)}`);
          pen = !!near;
        }
      }
    return out.join("");
  });

  const values = $derived(plane ? cardAt(plane, desk.at(frame)) : null);
  const shape = $derived.by(() => {
    if (!plane) return 1;
    const [wide, high] = ownSize(plane, shot.doc);
    return high / wide;
  });
  const stood = $derived(values && eye && !values.far && !values.still ? stoodAt(values, eye, shape) : null); // prettier-ignore
  const corners = $derived(
    stood && view
      ? ([[-0.5, 0.5], [0.5, 0.5], [0.5, -0.5], [-0.5, -0.5]] as Point[]).map(([x, y]) =>
          seenAt(view, scene!.bend, size, solvedOf(axes, along(along(stood.middle, stood.across, x), stood.up, y))),
        )
      : [],
  ); // prettier-ignore
  const whole = $derived(corners.length === 4 && corners.every(Boolean));
  const outline = $derived(whole ? `M${corners.map((p) => p!.join(" ")).join("L")}Z` : "");
  const place = $derived(values && view ? seenAt(view, scene!.bend, size, solvedOf(axes, [values.x, values.y, values.z])) : null); // prettier-ignore
  const lift = $derived.by(() => {
    if (!values || !view || !stood) return null;
    const high = Math.hypot(...stood.up) * 0.5 || 1;
    return seenAt(view, scene!.bend, size, solvedOf(axes, [values.x, values.y + high, values.z]));
  });

  let drag: { how: string; from: Point; start: CardValues; gesture: string } | null = null;
  let box = $state.raw<[Point, Point] | null>(null);

  function put(next: Partial<CardValues>, label: string, gesture: string | null) {
    if (!plane) return;
    const path = `${shot.planePath(plane.id)}/card/params`;
    const ops = Object.entries(next).map(([name, value]) => ({
      op: "add",
      path: `${path}/${name}`,
      value: withValue(plane.card!.params[name] as never, frame, Math.round((value as number) * 1000) / 1000), // prettier-ignore
    }));
    shot.edit(ops, label, gesture);
  }

  /** Where a pixel looks at the level of a height, in the hand's places; null above the horizon. */
  function level(pixel: Point, height: number): Xyz | null {
    if (!view || !eye) return null;
    const way = minus(
      toldOf(axes, along(eyeOf(view), rayOf(view, scene!.bend, size, pixel), 1)),
      eye,
    );
    const far = Math.abs(way[1]) > 1e-9 ? (height - eye[1]) / way[1] : -1;
    return far > 0 && far < 1e5 ? along(eye, way, far) : null;
  }

  /** Where a pixel looks on the upright board through a place that faces the camera. */
  function board(pixel: Point, through: Xyz): Xyz | null {
    if (!view || !eye) return null;
    const normal: Xyz = [through[0] - eye[0], 0, through[2] - eye[2]];
    const way = minus(
      toldOf(axes, along(eyeOf(view), rayOf(view, scene!.bend, size, pixel), 1)),
      eye,
    );
    const fall = dot(way, normal);
    const far = Math.abs(fall) > 1e-9 ? dot(minus(through, eye), normal) / fall : -1;
    return far > 0 ? along(eye, way, far) : null;
  }

  function down(event: PointerEvent, how: string) {
    if (event.button !== 0 || !values) return;
    event.stopPropagation();
    desk.playback.stop();
    drag = { how, from: at(event), start: { ...values }, gesture: newGesture() };
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
  }

  function move(event: PointerEvent) {
    if (!drag) return;
    const { how, from, start, gesture } = drag;
    const to = at(event);
    const here: Xyz = [start.x, start.y, start.z];
    if (how === "move") {
      // along the ground where that is seen well, or else on a board that faces the camera
      const flat = eye && Math.abs(eye[1] - start.y) > 0.08 * Math.hypot(eye[0] - start.x, eye[2] - start.z); // prettier-ignore
      const [a, b] = flat ? [level(from, start.y), level(to, start.y)] : [board(from, here), board(to, here)]; // prettier-ignore
      if (!a || !b) return;
      const next = along(here, minus(b, a), 1);
      if (event.altKey) put({ x: next[0] }, "move card", gesture);
      else put(flat ? { x: next[0], z: next[2] } : { x: next[0], y: next[1], z: next[2] }, "move card", gesture); // prettier-ignore
    } else if (how === "lift") {
      const [a, b] = [board(from, here), board(to, here)];
      if (a && b) put({ y: start.y + b[1] - a[1] }, "lift card", gesture);
    } else if (how === "size" && place) {
      const far = (p: Point) => Math.hypot(p[0] - place[0], p[1] - place[1]);
      put({ width: Math.max(0.001, (start.width * far(to)) / Math.max(1, far(from))) }, "size card", gesture); // prettier-ignore
    } else if (how === "turn") {
      const turn = start.turn + ((to[0] - from[0]) * scale) / 2;
      put({ turn: event.shiftKey ? Math.round(turn / 15) * 15 : turn }, "turn card", gesture);
    }
  }

  function up() {
    drag = null;
  }

  function nudged(event: KeyboardEvent, how: string) {
    const by = nudge(event);
    if (!by || !values || !view || !eye) return;
    const step = Math.hypot(...minus([values.x, values.y, values.z], eye)) / view.focal;
    const [dx, dy] = [by[0] * step, by[1] * step];
    if (how === "lift") put({ y: values.y - dy }, "lift card", null);
    else if (how === "size")
      put({ width: Math.max(0.001, values.width + dx - dy) }, "size card", null);
    else if (how === "turn") put({ turn: values.turn + by[0] }, "turn card", null);
    else put({ x: values.x + dx, z: values.z - dy }, "nudge card", null);
  }

  function pick(event: PointerEvent, n: number) {
    event.stopPropagation();
    const rest = desk.scenePicks.filter((one) => one !== n);
    desk.scenePicks = rest.length < desk.scenePicks.length ? rest : [...rest, n];
  }

  function boxDown(event: PointerEvent) {
    if (event.button !== 0 || desk.tools.tool !== "arrow") return;
    event.stopPropagation();
    box = [at(event), at(event)];
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
  }

  function boxUp() {
    if (!box) return;
    const [[a, b], [c, d]] = box;
    const inside = points.filter(
      ({ at: [x, y] }) => x >= Math.min(a, c) && x <= Math.max(a, c) && y >= Math.min(b, d) && y <= Math.max(b, d),
    ); // prettier-ignore
    if (Math.hypot(a - c, b - d) * scale > 6)
      desk.scenePicks = [...new Set([...desk.scenePicks, ...inside.map((one) => one.n)])];
    box = null;
  }
</script>

<svg class="over-picture" data-scene={track.id} aria-label={`Scene of ${track.name}`}>
  <g transform={`translate(${left} ${top}) scale(${scale})`}>
    {#if !plane && view}
      <rect
        width={size[0]}
        height={size[1]}
        fill="transparent"
        class={desk.tools.tool === "arrow" ? "brushed" : ""}
        role="presentation"
        onpointerdown={boxDown}
        onpointermove={(e) => box && (box = [box[0], at(e)])}
        onpointerup={boxUp}
      />
    {/if}
    {#if grid}
      <path d={grid} class="grid-under" stroke-width={2.2 / scale} />
      <path d={grid} class="grid" stroke-width={0.9 / scale} />
    {/if}
    {#each features as [x, y, agrees], n (n)}
      {#if agrees < 0.3}
        <path
          d={`M${x - 2.5 / scale} ${y - 2.5 / scale}l${5 / scale} ${5 / scale}m${-5 / scale} 0l${5 / scale} ${-5 / scale}`}
          class="out"
          stroke-width={1.1 / scale}
        />
      {/if}
    {/each}
    {#each points as point (point.n)}
      {@const chosen = desk.scenePicks.includes(point.n)}
      <circle
        cx={point.at[0]}
        cy={point.at[1]}
        r={(chosen ? 4.2 : 2.4) / scale}
        class={["point", chosen && "chosen"]}
        stroke-width={0.9 / scale}
        role="button"
        tabindex="-1"
        aria-label={`Point ${point.n} of the scene`}
        onpointerdown={(e) => pick(e, point.n)}
      />
    {/each}
    {#if box}
      <rect
        x={Math.min(box[0][0], box[1][0])}
        y={Math.min(box[0][1], box[1][1])}
        width={Math.abs(box[0][0] - box[1][0])}
        height={Math.abs(box[0][1] - box[1][1])}
        class="box"
        stroke-width={1.2 / scale}
      />
    {/if}
    {#if outline && plane}
      <path d={outline} class="under" stroke-width={3.4 / scale} />
      <path
        d={outline}
        class="line"
        stroke-width={1.6 / scale}
        role="button"
        tabindex="0"
        aria-label={`${plane.name}: drag, or arrow keys, to move it in the scene`}
        onpointerdown={(e) => down(e, "move")}
        onpointermove={move}
        onpointerup={up}
        onkeydown={(e) => nudged(e, "move")}
      />
      {#each corners as corner, n (n)}
        <rect
          class="handle"
          x={corner![0] - 4.5 / scale}
          y={corner![1] - 4.5 / scale}
          width={9 / scale}
          height={9 / scale}
          stroke-width={1.4 / scale}
          role="button"
          tabindex={n ? -1 : 0}
          aria-label={`Size of ${plane.name}`}
          data-handle={`size-${n}`}
          onpointerdown={(e) => down(e, "size")}
          onpointermove={move}
          onpointerup={up}
          onkeydown={(e) => nudged(e, "size")}
        />
      {/each}
      {#if place && lift}
        <path
          d={`M${place[0]} ${place[1]}L${lift[0]} ${lift[1]}`}
          class="stem"
          stroke-width={1.2 / scale}
        />
        {#each [{ how: "lift", p: lift, name: "Height" }, { how: "turn", p: place, name: "Turn" }] as one (one.how)}
          <circle
            class="handle"
            cx={one.p[0]}
            cy={one.p[1]}
            r={5.5 / scale}
            stroke-width={1.4 / scale}
            role="button"
            tabindex="0"
            aria-label={`${one.name} of ${plane.name}`}
            data-handle={one.how}
            onpointerdown={(e) => down(e, one.how)}
            onpointermove={move}
            onpointerup={up}
            onkeydown={(e) => nudged(e, one.how)}><title>{one.name}</title></circle
          >
        {/each}
      {/if}
    {/if}
  </g>
</svg>

<style>
  path,
  .box {
    fill: none;
    stroke-linejoin: round;
    stroke-linecap: round;
  }
  .brushed {
    pointer-events: all;
    cursor: crosshair;
  }
  .grid-under {
    stroke: rgb(255 255 255 / 0.4);
  }
  .grid {
    stroke: rgb(37 38 42 / 0.75);
  }
  .point {
    fill: #3f8fc4;
    stroke: #fff;
    pointer-events: all;
    cursor: pointer;
  }
  .chosen,
  .out {
    fill: #cf3f2b;
  }
  .out {
    stroke: #cf3f2b;
  }
  .box {
    stroke: #fff;
    mix-blend-mode: difference;
  }
  .under {
    stroke: rgb(255 255 255 / 0.7);
  }
  .line {
    stroke: #25262a;
    fill: transparent;
    cursor: move;
    pointer-events: all;
  }
  .stem {
    stroke: #fff;
  }
  .handle {
    fill: #fff;
    stroke: #25262a;
    pointer-events: all;
    cursor: grab;
  }
  .handle:focus-visible,
  .line:focus-visible {
    outline: 2px solid #fff;
    outline-offset: 2px;
  }
</style>
