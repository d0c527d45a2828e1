<script lang="ts">
  import type { HaltOut, Mark } from "../lib/api-types";
  import type { Point, Stroke } from "./strokes";

  type Props = {
    marks: Mark[];
    drawing: Stroke | null;
    halt: HaltOut | null;
    sampled: [Point, Point] | null;
    /** What is brushed for a track, and the corners of a patch so far. */
    brushed: Point[];
    corners: Point[];
    shaping: { kind: string; points: Point[] } | null;
    radius: number;
    pointer: Point | null;
    scale: number;
    left: number;
    top: number;
  };
  let {
    marks,
    drawing,
    halt,
    sampled,
    brushed,
    corners,
    shaping,
    radius,
    pointer,
    scale,
    left,
    top,
  }: Props = $props();

  function path(points: Point[]): string {
    const [first, ...rest] = points;
    const tail = rest.length ? rest : [[first[0] + 0.01, first[1]] as Point];
    return `M${first[0]} ${first[1]}` + tail.map(([x, y]) => `L${x} ${y}`).join("");
  }

  const lines = $derived([
    ...marks.filter((m) => m.points.length),
    ...(drawing ? [{ ...drawing, radius, id: "drawing" }] : []),
  ]);
</script>

<svg class="over-picture" aria-hidden="true" data-marks={marks.length}>
  <g transform={`translate(${left} ${top}) scale(${scale})`}>
    {#each lines as line (line.id)}
      {@const wide = Math.max(2 * line.radius, 5 / scale)}
      {#if line.fill || line.kind === "near"}
        <path d={path(line.points) + "Z"} class="edge" stroke-width={4.4 / scale} />
        <path
          d={path(line.points) + "Z"}
          class="in"
          class:near={line.kind === "near"}
          class:filled={line.fill}
          stroke-width={2.4 / scale}
          stroke-dasharray={line.kind === "in" ? undefined : `${3.2 / scale} ${3.8 / scale}`}
        />
      {:else if line.kind === "drag"}
        {@const [x, y] = line.points.at(-1)!}
        <path d={path(line.points)} class="edge" stroke-width={3.6 / scale} />
        <path d={path(line.points)} class="in" stroke-width={1.6 / scale} />
        <circle class="end" cx={x} cy={y} r={3.2 / scale} stroke-width={1 / scale} />
      {:else if line.kind === "in"}
        <path d={path(line.points)} class="edge" stroke-width={wide + 2.4 / scale} />
        <path d={path(line.points)} class="in" stroke-width={wide} />
      {:else}
        <path d={path(line.points)} class="edge" stroke-width={wide + 2 / scale} />
        <path
          d={path(line.points)}
          class="ticks"
          stroke-width={wide}
          stroke-dasharray={`${3.2 / scale} ${3.8 / scale}`}
        />
        <path d={path(line.points)} class="in" stroke-width={2.4 / scale} />
      {/if}
    {/each}
    {#if sampled}
      {@const [a, b] = sampled}
      <rect
        x={Math.min(a[0], b[0])}
        y={Math.min(a[1], b[1])}
        width={Math.abs(a[0] - b[0])}
        height={Math.abs(a[1] - b[1])}
        class="brush"
        stroke-width={1.6 / scale}
      />
    {/if}
    {#if brushed.length > 1}
      <path d={path(brushed)} class="edge" stroke-width={4 / scale} />
      <path d={path(brushed)} class="in" stroke-width={2 / scale} />
    {/if}
    {#each corners as [x, y], n (n)}
      <circle class="new" cx={x} cy={y} r={5 / scale} stroke-width={2 / scale} />
    {/each}
    {#if shaping}
      {@const [a, b] = [shaping.points[0], shaping.points.at(-1)!]}
      {#if shaping.kind === "ellipse"}
        <ellipse
          class="new"
          cx={(a[0] + b[0]) / 2}
          cy={(a[1] + b[1]) / 2}
          rx={Math.abs(a[0] - b[0]) / 2}
          ry={Math.abs(a[1] - b[1]) / 2}
          stroke-width={2 / scale}
        />
      {:else if shaping.kind === "box"}
        <rect
          class="new"
          x={Math.min(a[0], b[0])}
          y={Math.min(a[1], b[1])}
          width={Math.abs(a[0] - b[0])}
          height={Math.abs(a[1] - b[1])}
          stroke-width={2 / scale}
        />
      {:else}
        <path class="new" d={path(shaping.points)} stroke-width={2 / scale} />
        {#each shaping.points as [x, y], n (n)}
          <circle class="new" cx={x} cy={y} r={(n ? 3 : 5) / scale} stroke-width={2 / scale} />
        {/each}
      {/if}
    {/if}
    {#if pointer}
      <circle
        class="brush"
        cx={pointer[0]}
        cy={pointer[1]}
        r={Math.max(radius, 1.5 / scale)}
        stroke-width={1.2 / scale}
      />
    {/if}
    {#if halt}
      <circle class="ring-back" cx={halt.x} cy={halt.y} r={halt.radius} stroke-width={5 / scale} />
      <circle class="ring" cx={halt.x} cy={halt.y} r={halt.radius} stroke-width={2.6 / scale} />
    {/if}
  </g>
</svg>

<style>
  path {
    fill: none;
    stroke-linecap: round;
    stroke-linejoin: round;
  }
  .in,
  .new {
    stroke: #cf3f2b;
  }
  .new {
    fill: none;
  }
  .filled {
    fill: rgb(207 63 43 / 0.16);
  }
  .near {
    stroke-linecap: butt;
  }
  .edge {
    stroke: rgb(255 255 255 / 0.86);
  }
  .ticks {
    stroke: #cf3f2b;
    stroke-linecap: butt;
  }
  rect,
  circle {
    fill: none;
  }
  .end {
    fill: #cf3f2b;
    stroke: rgb(255 255 255 / 0.86);
  }
  .brush {
    stroke: #fff;
    mix-blend-mode: difference;
  }
  .ring {
    stroke: #cf3f2b;
    stroke-dasharray: 14 7;
  }
  .ring-back {
    stroke: rgb(255 255 255 / 0.8);
  }
</style>
