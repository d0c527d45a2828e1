<script lang="ts">
  import type { Mark } from "../lib/api-types";
  import { api } from "../lib/api";
  import type { Desk, Drawn } from "../lib/desk.svelte";
  import { notes } from "../lib/notes.svelte";
  import Tools from "./Tools.svelte";
  import Handles from "./Handles.svelte";
  import Overlay from "./Overlay.svelte";
  import Split from "./Split.svelte";
  import PlaceTools from "./PlaceTools.svelte";
  import Placing from "./Placing.svelte";
  import Shapes from "./Shapes.svelte";
  import ShapeTools from "./ShapeTools.svelte";
  import Says from "./Says.svelte";
  import { addShape, draw, erase, sample } from "./edits";
  import type { Point, Stroke } from "./strokes";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  const plate = $derived(shot.about!.plate);
  let box = $state<HTMLDivElement>();
  let canvas = $state<HTMLCanvasElement>();
  let room = $state.raw({ width: 784, height: 490 });
  // zoom 0 means: fit
  let zoom = $state(0);
  let centre = $state.raw<Point>([0.5, 0.5]);

  const fit = $derived(Math.min((room.width - 2) / plate.width, (room.height - 2) / plate.height));
  const scale = $derived(zoom || fit);
  const left = $derived(
    zoom
      ? room.width / 2 - centre[0] * plate.width * scale
      : (room.width - plate.width * scale) / 2,
  );
  const top = $derived(
    zoom
      ? room.height / 2 - centre[1] * plate.height * scale
      : (room.height - plate.height * scale) / 2,
  );

  let drawing = $state.raw<Stroke | null>(null);
  let pointer = $state.raw<Point | null>(null);
  /** The box that is dragged with the sampler, by two corners in plate pixels. */
  let sampled = $state.raw<[Point, Point] | null>(null);
  /** A shape under way: an ellipse or box by two corners, or the points so far. */
  let shaping = $state.raw<{ kind: Drawn; points: Point[] } | null>(null);
  let second = $state<HTMLCanvasElement>();
  let panning: { x: number; y: number; centre: Point } | null = null;
  let warmed = "";

  const marks = $derived(desk.marking && desk.mode !== "result" ? marksHere() : []);
  const here = $derived(shot.frame(desk.trace?.id, desk.frame));

  function marksHere(): Mark[] {
    return desk.trace?.marks?.filter((m) => m.frame === desk.frame) ?? [];
  }

  $effect(() => {
    if (!box) return;
    const watch = new ResizeObserver(
      () => (room = { width: box!.clientWidth, height: box!.clientHeight }),
    );
    watch.observe(box);
    return () => watch.disconnect();
  });

  $effect(() => {
    const bitmap = desk.pictures.shown;
    if (!canvas || !bitmap) return;
    if (canvas.width !== bitmap.width || canvas.height !== bitmap.height) {
      canvas.width = bitmap.width;
      canvas.height = bitmap.height;
    }
    canvas.getContext("2d")!.drawImage(bitmap, 0, 0);
    canvas.dataset.key = desk.pictures.shownKey;
    canvas.dataset.frame = String(desk.pictures.shownFrame);
  });

  $effect(() => {
    const bitmap = desk.split && desk.beside.shown;
    if (!second || !bitmap) return;
    if (second.width !== bitmap.width || second.height !== bitmap.height) {
      second.width = bitmap.width;
      second.height = bitmap.height;
    }
    second.getContext("2d")!.drawImage(bitmap, 0, 0);
    second.dataset.key = desk.beside.shownKey;
  });

  // a shape under way belongs to the tool that it was begun with
  $effect(() => {
    if (shaping && shaping.kind !== desk.tool) shaping = null;
  });

  const drawn: Drawn[] = ["ellipse", "box", "polygon", "curve"];
  const drawing_ = $derived(drawn.find((kind) => kind === desk.tool && desk.shaping));

  function close() {
    if (!shaping || shaping.points.length < 3) return;
    const points = shaping.points.map(([x, y]) => ({ x, y, inner: 0, outer: 0, corner: false }));
    addShape(desk, shaping.kind, { points });
    shaping = null;
  }

  function shapeDown(kind: Drawn, event: PointerEvent) {
    const point = at(event);
    if (kind === "ellipse" || kind === "box") {
      box!.setPointerCapture(event.pointerId);
      shaping = { kind, points: [point, point] };
      return;
    }
    const first = shaping?.points[0];
    if (first && Math.hypot(point[0] - first[0], point[1] - first[1]) * scale < 9) return close();
    shaping = { kind, points: [...(shaping?.points ?? []), point] };
  }

  function shapeUp() {
    if (!shaping || (shaping.kind !== "ellipse" && shaping.kind !== "box")) return;
    const [a, b] = shaping.points;
    const [width, height] = [Math.abs(a[0] - b[0]), Math.abs(a[1] - b[1])];
    // a press without a drag is a slip of the hand
    if (width * scale < 4 || height * scale < 4) return void (shaping = null);
    addShape(desk, shaping.kind, { x: (a[0] + b[0]) / 2, y: (a[1] + b[1]) / 2, width, height });
    shaping = null;
  }

  function at(event: PointerEvent | WheelEvent | MouseEvent): Point {
    const bounds = box!.getBoundingClientRect();
    return [
      (event.clientX - bounds.left - left) / scale,
      (event.clientY - bounds.top - top) / scale,
    ];
  }

  function down(event: PointerEvent) {
    // what lies over the picture (tools, a halt, the zoom) is pressed, not drawn on
    if (event.target !== box && event.target !== canvas) return;
    box!.focus({ preventScroll: true });
    if (desk.tool === "sample" && event.button === 0) {
      box!.setPointerCapture(event.pointerId);
      sampled = [at(event), at(event)];
      return;
    }
    if (drawing_ && event.button === 0) {
      desk.stop();
      shapeDown(drawing_, event);
      return;
    }
    if (event.button === 0 && desk.shaping && desk.tool === "arrow") desk.shapeId = null;
    if (event.button === 1 || (event.button === 0 && (desk.tool === "hand" || !desk.marking))) {
      box!.setPointerCapture(event.pointerId);
      panning = { x: event.clientX, y: event.clientY, centre: zoom ? centre : [0.5, 0.5] };
      event.preventDefault();
      return;
    }
    if (event.button !== 0) return;
    box!.setPointerCapture(event.pointerId);
    desk.stop();
    if (desk.mode === "result") desk.mode = "veil";
    if (desk.tool === "erase") return erase(desk, at(event), 5 / scale);
    const plain = (desk.tool === "out") === event.altKey ? "in" : "out";
    const kind = desk.tool === "near" || desk.tool === "drag" ? desk.tool : plain;
    if (kind === "drag" && !here?.blob) {
      notes.add("There is no outline on this frame yet.", "Draw an in mark on the subject first.");
      return;
    }
    drawing = { kind, fill: desk.tool === "lasso", points: [at(event)] };
  }

  function move(event: PointerEvent) {
    pointer = at(event);
    if (sampled) sampled = [sampled[0], pointer];
    if (shaping && event.buttons & 1 && (shaping.kind === "ellipse" || shaping.kind === "box"))
      shaping = { ...shaping, points: [shaping.points[0], pointer] };
    warm();
    if (panning) {
      if (!zoom) zoom = fit;
      centre = [
        panning.centre[0] - (event.clientX - panning.x) / scale / plate.width,
        panning.centre[1] - (event.clientY - panning.y) / scale / plate.height,
      ];
    } else if (drawing) {
      const events = event.getCoalescedEvents?.() ?? [event];
      drawing = {
        ...drawing,
        points: [...drawing.points, ...(events.length ? events : [event]).map(at)],
      };
    } else if (desk.tool === "erase" && event.buttons & 1 && desk.marking)
      erase(desk, at(event), 5 / scale);
  }

  function up(event: PointerEvent) {
    if (sampled) {
      const picked = sampled;
      sampled = null;
      void sample(desk, picked, event.altKey ? "take" : event.shiftKey ? "add" : "set");
      return;
    }
    if (drawing_) return shapeUp();
    panning = null;
    if (!drawing) return;
    const stroke = drawing;
    drawing = null;
    draw(desk, stroke);
  }

  /** The first mark on a frame should answer as quickly as the next: its picture is prepared under the pointer. */
  function warm() {
    const about = `${desk.frame}`;
    if (!desk.marking || desk.playing || warmed === about) return;
    warmed = about;
    void api.ready(shot.id, desk.frame).catch(() => {});
  }

  function wheel(event: WheelEvent) {
    event.preventDefault();
    const before = at(event);
    const bounds = box!.getBoundingClientRect();
    const next = Math.max(fit * 0.5, Math.min(16, scale * (event.deltaY < 0 ? 1.2 : 1 / 1.2)));
    zoom = Math.abs(next - fit) / fit < 0.05 ? 0 : next;
    const [x, y] = [event.clientX - bounds.left, event.clientY - bounds.top];
    centre = [
      (before[0] + (room.width / 2 - x) / next) / plate.width,
      (before[1] + (room.height / 2 - y) / next) / plate.height,
    ];
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions (the picture takes the pointer; all else has keys) -->
<div
  class="picture"
  class:draws={desk.tool === "sample" || !!drawing_ || (desk.marking && desk.tool !== "hand")}
  role="region"
  aria-label="Picture"
  tabindex="0"
  bind:this={box}
  onpointerdown={down}
  onpointermove={move}
  onpointerup={up}
  onpointercancel={() => ((drawing = null), (panning = null), (sampled = null), (shaping = null))}
  ondblclick={close}
  onkeydown={(e) => {
    if (!shaping) return;
    if (e.key === "Enter") close();
    else if (e.key === "Backspace") shaping = { ...shaping, points: shaping.points.slice(0, -1) };
    else if (e.key === "Escape") shaping = null;
    else return;
    e.preventDefault();
    e.stopPropagation();
  }}
  onpointerleave={() => (pointer = null)}
  onwheel={wheel}
  data-view={desk.view}
  data-scale={scale}
  data-left={left}
  data-top={top}
>
  <canvas
    bind:this={canvas}
    aria-label="Frame as it is shown"
    style:left={`${left}px`}
    style:top={`${top}px`}
    style:width={`${plate.width * scale}px`}
    style:height={`${plate.height * scale}px`}
    style:image-rendering={scale > 2 ? "pixelated" : "auto"}
  ></canvas>
  {#if desk.split}
    <canvas
      bind:this={second}
      aria-label="The other view of the split"
      style:left={`${left}px`}
      style:top={`${top}px`}
      style:width={`${plate.width * scale}px`}
      style:height={`${plate.height * scale}px`}
      style:clip-path={`inset(0 0 0 ${desk.splitAt * 100}%)`}
    ></canvas>
    <Split
      {desk}
      x={left + desk.splitAt * plate.width * scale}
      {left}
      width={plate.width * scale}
    />
  {/if}
  <Overlay
    {shaping}
    {marks}
    {drawing}
    halt={desk.halt}
    {sampled}
    radius={desk.brush}
    pointer={desk.marking &&
    !["hand", "sample"].includes(desk.tool) &&
    (!drawing || drawing.kind === "drag")
      ? pointer
      : null}
    {scale}
    {left}
    {top}
  />
  {#if desk.placing}
    <Placing {desk} plane={desk.placing} {scale} {left} {top} {at} />
  {/if}
  <Handles {desk} {scale} {left} {top} {at} />
  {#if desk.shaping}<Shapes {desk} {scale} {left} {top} {at} />{/if}
  {#if desk.marking}<Tools {desk} />{:else if desk.shaping}<ShapeTools
      {desk}
    />{:else if desk.placeable}<PlaceTools {desk} />{/if}
  <div class="zoom">
    <button class:on={zoom === 0} onclick={() => (zoom = 0)}>fit</button>
    <button
      class:on={zoom === 1}
      onclick={() => ((zoom = 1), (centre = zoom ? centre : [0.5, 0.5]))}>1:1</button
    >
    <span>{Math.round(scale * 100)} %</span>
  </div>
  <Says {desk} {shaping} marked={!!marks.length} />
</div>

<style>
  .picture {
    position: relative;
    overflow: hidden;
    background: #4a4a4a;
    min-height: 0;
    touch-action: none;
  }
  .picture:focus-visible {
    outline-offset: -2px;
  }
  .draws {
    cursor: crosshair;
  }
  canvas {
    position: absolute;
  }
  .zoom {
    position: absolute;
    right: 8px;
    bottom: 8px;
    display: flex;
    align-items: center;
    gap: 2px;
    color: #fff;
    background: rgb(30 30 30 / 0.78);
    border-radius: 4px;
    padding: 2px 6px;
    font-size: 12px;
  }
  .zoom button {
    border: 0;
    background: none;
    min-width: 24px;
    min-height: 24px;
    padding: 1px 5px;
    border-radius: 3px;
  }
  .zoom .on {
    background: #fff;
    color: #222;
  }
</style>
