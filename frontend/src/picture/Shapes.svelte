<script lang="ts">
  import type { Riding, Shape, ShapeKey } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { apply, inverse, type Matrix } from "../lib/matrix";
  import { ridden, wayOf } from "../lib/riding";
  import { changed, rounded, withPoint, withoutPoint } from "../lib/shape-edits";
  import { nudge, outlines, own, place, pointed, shapeAt, type Point } from "../lib/shapes";

  type Props = {
    desk: Desk;
    scale: number;
    left: number;
    top: number;
    /** From a pointer's place to plate pixels. */
    at: (event: PointerEvent | MouseEvent) => Point;
  };
  let { desk, scale, left, top, at }: Props = $props();
  const pull = $derived(desk.tools.shaping!);
  const shown = $derived(
    pull.shapes.map((shape) => {
      const here = moving?.id === shape.id ? moving : shape;
      const key = shapeAt(here, desk.playback.seen);
      // drawn where it rides to; what a hand changes is where it would be without
      const [as, there] = ridden(here, key, moved);
      return { shape: here, key, there, drawn: outlines(as, there), way: wayOf(here, moved) };
    }),
  );
  const chosen = $derived(shown.find(({ shape }) => shape.id === desk.selection.shapeId));
  /** The shape as it is dragged, until it is let go. */
  let moving = $state.raw<Shape | null>(null);
  let drag: { from: Point; shape: Shape; key: ShapeKey; how: string; back: Matrix } | null = null;
  const moved = (riding: Riding) => desk.motions.at(riding, desk.playback.seen);

  /** How what is taken hold of rides. */
  const wayFor = (shape: Shape, how: string) =>
    wayOf(shape, moved, how.startsWith("point-") ? Number(how.slice(6)) : null);

  const corners: [string, string, Point][] = [
    ["right", "Width", [1, 0]],
    ["left", "Width", [-1, 0]],
    ["bottom", "Height", [0, 1]],
    ["top", "Height", [0, -1]],
    ["corner", "Size", [1, 1]],
    ["turn", "Angle", [0, -1]],
  ];

  function handleAt(key: ShapeKey, name: string, [x, y]: Point): Point {
    const out = name === "turn" ? 26 / scale : 0;
    return place(key, [(x * key.width) / 2, (y * key.height) / 2 - out]);
  }

  /** The key after a handle was dragged by (dx, dy) plate pixels, or to a place. */
  function dragged(key: ShapeKey, how: string, from: Point, to: Point): ShapeKey {
    const [dx, dy] = [to[0] - from[0], to[1] - from[1]];
    if (how === "move")
      return {
        ...key,
        x: key.x + dx,
        y: key.y + dy,
        points: key.points.map((p) => ({ ...p, x: p.x + dx, y: p.y + dy })),
      };
    if (how.startsWith("point-")) {
      const n = Number(how.slice(6));
      return {
        ...key,
        points: key.points.map((p, i) => (i === n ? { ...p, x: p.x + dx, y: p.y + dy } : p)),
      };
    }
    const [u, v] = own(key, to);
    if (how === "turn") {
      const angle = (Math.atan2(to[1] - key.y, to[0] - key.x) * 180) / Math.PI + 90;
      // the nearest way round
      const turns = Math.round((key.angle - angle) / 360);
      return { ...key, angle: angle + 360 * turns };
    }
    const next = { ...key };
    if (how !== "bottom" && how !== "top") next.width = Math.max(1, 2 * Math.abs(u));
    if (how !== "left" && how !== "right") next.height = Math.max(1, 2 * Math.abs(v));
    return next;
  }

  function down(event: PointerEvent, shape: Shape, how: string) {
    if (event.button !== 0) return;
    event.stopPropagation();
    desk.playback.stop();
    desk.selection.shapeId = shape.id;
    if (how.startsWith("point-")) {
      desk.selection.pointAt = Number(how.slice(6));
      if (event.altKey) {
        desk.tools.putShape(withoutPoint(shape, desk.selection.pointAt), "remove point");
        desk.selection.pointAt = null;
        return;
      }
    } else desk.selection.pointAt = null;
    const back = inverse(wayFor(shape, how));
    const from = apply(back, at(event));
    drag = { from, shape, key: shapeAt(shape, desk.playback.seen), how, back };
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
  }

  function move(event: PointerEvent) {
    if (!drag) return;
    const next = rounded(dragged(drag.key, drag.how, drag.from, apply(drag.back, at(event))));
    moving = changed(drag.shape, desk.playback.seen, next, desk.tools.shapeWay);
  }

  function up() {
    if (drag && moving) desk.tools.putShape(moving, drag.how === "move" ? "move shape" : "shape");
    drag = moving = null;
  }

  function nudged(event: KeyboardEvent, shape: Shape, how: string) {
    if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      event.stopPropagation();
      if (how.startsWith("point-"))
        desk.tools.putShape(withoutPoint(shape, Number(how.slice(6))), "remove point");
      else desk.tools.removeShape(shape.id);
      return;
    }
    const by = nudge(event);
    if (!by) return;
    const key = shapeAt(shape, desk.playback.seen);
    const corner = corners.find(([name]) => name === how);
    const one = key.points[how.startsWith("point-") ? Number(how.slice(6)) : 0] ?? key;
    const from: Point = corner ? handleAt(key, how, corner[2]) : [one.x, one.y];
    const way = wayFor(shape, how);
    const [x, y] = apply(way, from);
    const next = dragged(key, how, from, apply(inverse(way), [x + by[0], y + by[1]]));
    desk.tools.putShape(
      changed(shape, desk.playback.seen, rounded(next), desk.tools.shapeWay),
      "nudge shape",
    );
  }

  function corner(shape: Shape, n: number) {
    desk.tools.putShape(
      {
        ...shape,
        keys: shape.keys.map((key) => ({
          ...key,
          points: key.points.map((p, i) => (i === n ? { ...p, corner: !p.corner } : p)),
        })),
      },
      "corner",
    );
  }

  /** Double-click on the line: a new point there. */
  function insert(event: MouseEvent, shape: Shape) {
    if (!pointed(shape)) return;
    event.stopPropagation();
    const [x, y] = apply(inverse(wayOf(shape, moved)), at(event));
    const points = shapeAt(shape, desk.playback.seen).points;
    const far = points.slice(0, shape.kind === "line" ? -1 : undefined).map((a, i) => {
      const b = points[(i + 1) % points.length];
      const long = (b.x - a.x) ** 2 + (b.y - a.y) ** 2 || 1;
      const t = Math.max(
        0,
        Math.min(1, ((x - a.x) * (b.x - a.x) + (y - a.y) * (b.y - a.y)) / long),
      );
      return Math.hypot(x - a.x - t * (b.x - a.x), y - a.y - t * (b.y - a.y));
    });
    desk.tools.putShape(withPoint(shape, far.indexOf(Math.min(...far))), "add point");
  }
</script>

<svg class="over-picture" class:idle={desk.tools.tool !== "arrow"} data-shapes={shown.length}>
  <g transform={`translate(${left} ${top}) scale(${scale})`}>
    {#each shown as { shape, drawn } (shape.id)}
      {@const active = shape.id === desk.selection.shapeId}
      {#if shape.on || active}
        <path d={drawn.line} class="under" stroke-width={(active ? 4 : 3) / scale} />
        <path
          d={drawn.line}
          class="line"
          class:active
          role="button"
          tabindex={desk.tools.tool === "arrow" ? 0 : -1}
          aria-label={`${shape.name}: drag, or arrow keys, to move`}
          stroke-width={(active ? 2 : 1.2) / scale}
          stroke-dasharray={shape.join === "subtract" ? `${5 / scale} ${3 / scale}` : undefined}
          onpointerdown={(e) => down(e, shape, "move")}
          onpointermove={move}
          onpointerup={up}
          onfocus={() => (desk.selection.shapeId = shape.id)}
          onkeydown={(e) => nudged(e, shape, "move")}
          ondblclick={(e) => insert(e, shape)}
        />
        {#each drawn.soft as soft, n (n)}
          <path
            d={soft}
            class="soft"
            stroke-width={1 / scale}
            stroke-dasharray={`${2 / scale} ${3 / scale}`}
          />
        {/each}
      {/if}
    {/each}
    {#if chosen && desk.tools.tool === "arrow"}
      {@const { shape, key, there, way } = chosen}
      {#if pointed(shape)}
        {#each there.points as point, n (n)}
          <rect
            class="handle"
            class:picked={desk.selection.pointAt === n}
            role="button"
            tabindex="0"
            aria-label={`Point ${n + 1} of ${shape.name}`}
            x={point.x - 4 / scale}
            y={point.y - 4 / scale}
            width={8 / scale}
            height={8 / scale}
            rx={(point.corner || shape.kind === "polygon" ? 0 : 4) / scale}
            stroke-width={1.4 / scale}
            onpointerdown={(e) => down(e, shape, `point-${n}`)}
            onpointermove={move}
            onpointerup={up}
            onfocus={() => (desk.selection.pointAt = n)}
            onkeydown={(e) => nudged(e, shape, `point-${n}`)}
            ondblclick={() => shape.kind === "curve" && corner(shape, n)}
          />
        {/each}
      {:else}
        {#each corners as [name, says, where] (name)}
          {@const [x, y] = apply(way, handleAt(key, name, where))}
          {#if name === "turn"}
            {@const [hx, hy] = apply(way, handleAt(key, "top", [0, -1]))}
            <path d={`M${hx} ${hy}L${x} ${y}`} class="soft" stroke-width={1 / scale} />
          {/if}
          <rect
            class="handle"
            role="button"
            tabindex="0"
            aria-label={`${says} of ${shape.name}`}
            data-handle={name}
            x={x - 4 / scale}
            y={y - 4 / scale}
            width={8 / scale}
            height={8 / scale}
            rx={(name === "turn" ? 4 : 0) / scale}
            stroke-width={1.4 / scale}
            onpointerdown={(e) => down(e, shape, name)}
            onpointermove={move}
            onpointerup={up}
            onkeydown={(e) => nudged(e, shape, name)}
          />
        {/each}
      {/if}
    {/if}
  </g>
</svg>

<style>
  path {
    fill: none;
    stroke-linejoin: round;
  }
  .under {
    stroke: rgb(255 255 255 / 0.75);
  }
  .line {
    stroke: #cf3f2b;
    cursor: move;
    pointer-events: all;
  }
  .line.active {
    stroke: #cf3f2b;
  }
  .idle .line,
  .idle .handle {
    pointer-events: none;
  }
  .soft {
    stroke: #fff;
    paint-order: stroke;
    filter: drop-shadow(0 0 1px #000);
  }
  .handle {
    fill: #fff;
    stroke: #25262a;
    pointer-events: all;
    cursor: grab;
  }
  .handle.picked {
    fill: #cf3f2b;
    stroke: #fff;
  }
  .handle:focus-visible,
  .line:focus-visible {
    outline: 2px solid #fff;
    outline-offset: 2px;
  }
</style>
