<script lang="ts">
  import type { Plane } from "../lib/api-types";
  import type { Op } from "../lib/api";
  import type { Desk } from "../desk/desk.svelte";
  import { ownSize, placedAt, placeOf, type Placed } from "../lib/placement";
  import { apply, inverse, STILL } from "../lib/matrix";
  import { nudge, type Point } from "../lib/shapes";
  import { newGesture, withValue } from "../lib/values";

  /** The placement of the selected plane, drawn over the picture, with handles. */
  type Props = {
    desk: Desk;
    plane: Plane;
    scale: number;
    left: number;
    top: number;
    at: (event: PointerEvent | MouseEvent) => Point;
  };
  let { desk, plane, scale, left, top, at: seen }: Props = $props();
  const shot = $derived(desk.shot);
  const plate = $derived(shot.about.plate);
  const placed = $derived(placedAt(plane, desk.at(desk.playback.seen)));
  const own = $derived(ownSize(plane, shot.doc));
  const half = $derived<Point>([own[0] / 2, own[1] / 2]);
  const way = $derived((plane.ride && desk.at(desk.playback.seen).moved(plane.ride)) || STILL);
  /** A pointer's place as it would be if the plane did not ride. */
  const at = (event: PointerEvent | MouseEvent): Point => apply(inverse(way), seen(event));
  const where = (p: Point): Point => apply(way, unridden(p));
  const unridden = (p: Point): Point => {
    const [x, y] = placeOf(placed, plate.width, p);
    return [x + plate.width / 2, y + plate.height / 2];
  };
  const corners = $derived(
    ([[-1, -1], [1, -1], [1, 1], [-1, 1]] as Point[]).map(([x, y]) =>
      where([x * half[0], y * half[1]]),
    ),
  ); // prettier-ignore
  const line = $derived(`M${corners.map(([x, y]) => `${x} ${y}`).join("L")}Z`);
  const anchor = $derived(where([placed.anchor_x, placed.anchor_y]));
  const upper = $derived(where([0, -half[1]]));
  const turner = $derived.by<Point>(() => {
    // inside the picture where the frame leaves no room above it
    const out = upper[1] * scale + top < 40 ? 30 : -26;
    const [dx, dy] = [upper[0] - anchor[0], upper[1] - anchor[1]];
    const long = Math.hypot(dx, dy) || 1;
    return [upper[0] - ((dx / long) * out) / scale, upper[1] - ((dy / long) * out) / scale];
  });

  let drag: { how: string; from: Point; start: Placed; anchor: Point; gesture: string } | null =
    null;

  /** Puts values at this frame: a key where a value has keys. */
  function put(values: Partial<Placed>, label: string, gesture: string | null) {
    const path = `${shot.planePath(plane.id)}/placement`;
    const ops: Op[] = Object.entries(values).map(([name, value]) => ({
      op: "add",
      path: `${path}/${name}`,
      value: withValue(plane.placement[name], desk.playback.seen, rounded(value as number)),
    }));
    shot.edit(ops, label, gesture);
  }

  const rounded = (value: number) => Math.round(value * 100) / 100;

  function down(event: PointerEvent, how: string) {
    if (event.button !== 0) return;
    event.stopPropagation();
    desk.playback.stop();
    const about = unridden([placed.anchor_x, placed.anchor_y]);
    drag = { how, from: at(event), start: { ...placed }, anchor: about, gesture: newGesture() };
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
  }

  function move(event: PointerEvent) {
    if (!drag) return;
    const { how, from, start, anchor: about, gesture } = drag;
    const to = at(event);
    const far = (p: Point) => Math.hypot(p[0] - about[0], p[1] - about[1]);
    if (how === "move") {
      // what lies further away moves less on the picture
      const near = (1.5 + start.depth) / 1.5;
      put(
        { x: start.x + (to[0] - from[0]) * near, y: start.y + (to[1] - from[1]) * near },
        "move plane",
        gesture,
      );
    } else if (how === "scale")
      put(
        { scale: Math.max(0.1, (start.scale * far(to)) / Math.max(1, far(from))) },
        "scale plane",
        gesture,
      );
    else if (how === "turn") {
      const way = (p: Point) => (Math.atan2(p[1] - about[1], p[0] - about[0]) * 180) / Math.PI;
      let by = way(to) - way(from);
      by -= 360 * Math.round(by / 360);
      const angle = start.angle + by;
      put({ angle: event.shiftKey ? Math.round(angle / 15) * 15 : angle }, "turn plane", gesture);
    } else {
      // the anchor goes, the picture stays: flat placements only need a turn and a scale undone
      const turn = (start.angle * Math.PI) / 180;
      const [dx, dy] = [to[0] - from[0], to[1] - from[1]];
      const wide = ((start.scale * start.stretch) / 1e4) * (start.flip_x ? -1 : 1);
      const high = (start.scale / 100) * (start.flip_y ? -1 : 1);
      const ax = (dx * Math.cos(turn) + dy * Math.sin(turn)) / wide;
      const ay = (-dx * Math.sin(turn) + dy * Math.cos(turn)) / high;
      put(
        {
          anchor_x: start.anchor_x + ax,
          anchor_y: start.anchor_y + ay,
          x: start.x + dx - ax,
          y: start.y + dy - ay,
        },
        "move anchor",
        gesture,
      );
    }
  }

  function up() {
    drag = null;
  }

  function nudged(event: KeyboardEvent, how: string) {
    const by = nudge(event);
    if (!by) return;
    const [dx, dy] = by;
    if (how === "scale") put({ scale: Math.max(0.1, placed.scale + dx - dy) }, "scale plane", null);
    else if (how === "turn") put({ angle: placed.angle + dx + dy }, "turn plane", null);
    else put({ x: placed.x + dx, y: placed.y + dy }, "nudge plane", null);
  }
</script>

<svg class="over-picture" data-placing={plane.id}>
  <g transform={`translate(${left} ${top}) scale(${scale})`}>
    <path d={line} class="under" stroke-width={3 / scale} />
    <path
      d={line}
      class="line"
      role="button"
      tabindex="0"
      aria-label={`${plane.name}: drag, or arrow keys, to move`}
      stroke-width={1.4 / scale}
      stroke-dasharray={`${7 / scale} ${4 / scale}`}
      onpointerdown={(e) => down(e, "move")}
      onpointermove={move}
      onpointerup={up}
      onkeydown={(e) => nudged(e, "move")}
    />
    <path
      d={`M${upper[0]} ${upper[1]}L${turner[0]} ${turner[1]}`}
      class="stem"
      stroke-width={1 / scale}
    />
    {#each corners as [x, y], n (n)}
      <rect
        class="handle"
        role="button"
        tabindex={n ? -1 : 0}
        aria-label={`Scale of ${plane.name}`}
        data-handle={`scale-${n}`}
        x={x - 4.5 / scale}
        y={y - 4.5 / scale}
        width={9 / scale}
        height={9 / scale}
        stroke-width={1.4 / scale}
        onpointerdown={(e) => down(e, "scale")}
        onpointermove={move}
        onpointerup={up}
        onkeydown={(e) => nudged(e, "scale")}
      />
    {/each}
    <circle
      class="handle"
      role="button"
      tabindex="0"
      aria-label={`Turn of ${plane.name}`}
      data-handle="turn"
      cx={turner[0]}
      cy={turner[1]}
      r={5 / scale}
      stroke-width={1.4 / scale}
      onpointerdown={(e) => down(e, "turn")}
      onpointermove={move}
      onpointerup={up}
      onkeydown={(e) => nudged(e, "turn")}
    />
    <g
      class="anchor"
      role="button"
      tabindex="-1"
      aria-label={`Anchor of ${plane.name}`}
      data-handle="anchor"
      onpointerdown={(e) => down(e, "anchor")}
      onpointermove={move}
      onpointerup={up}
    >
      <circle cx={anchor[0]} cy={anchor[1]} r={8 / scale} class="room" />
      {#each ["pale", "dark"] as shade (shade)}
        <path
          class={shade}
          d={`M${anchor[0] - 7 / scale} ${anchor[1]}h${14 / scale}M${anchor[0]} ${anchor[1] - 7 / scale}v${14 / scale}`}
          stroke-width={(shade === "pale" ? 3.4 : 1.4) / scale}
        />
      {/each}
    </g>
  </g>
</svg>

<style>
  path {
    fill: none;
    stroke-linejoin: round;
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
  .anchor {
    pointer-events: all;
    cursor: grab;
  }
  .room {
    fill: transparent;
  }
  .pale {
    stroke: rgb(255 255 255 / 0.85);
  }
  .dark {
    stroke: #25262a;
  }
  .handle:focus-visible,
  .line:focus-visible {
    outline: 2px solid #fff;
    outline-offset: 2px;
  }
</style>
