<script lang="ts">
  import { untrack } from "svelte";
  import { keyFrames, moversOfMatte, moversOfPlane } from "../lib/movers";
  import type { Desk } from "../lib/desk.svelte";
  import { columns, draw, MARKER, type Column } from "./draw";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  let box = $state<HTMLDivElement>();
  let canvas = $state<HTMLCanvasElement>();
  let size = $state.raw({ width: 228, height: 600 });
  let zoom = $state(1);
  let scroll = $state(0);
  let film = $state.raw<HTMLImageElement | null>(null);
  let night = $state(0);

  const row = $derived(Math.max(size.height / shot.count, 2.2) * zoom);
  const most = $derived(Math.max(0, row * shot.count - size.height));
  const cols = $derived<Column[]>(
    columns(
      size.width,
      shot.doc!.mattes.map((m) => m.name),
      keyedName(),
    ),
  );
  const keyed = $derived(keysOfSelection());

  function keyedName(): string {
    const s = desk.selected;
    if (s?.kind === "plane") return shot.plane(s.id)?.name ?? "";
    return desk.shaping?.shapes.find((one) => one.id === desk.shapeId)?.name ?? "";
  }

  /** Frames with a keyframe among what is selected, and whether the value holds from there. */
  function keysOfSelection(): Map<number, boolean> {
    const s = desk.selected;
    if (s?.kind === "plane") {
      const plane = shot.plane(s.id);
      return plane ? keyFrames(moversOfPlane(plane, "")) : new Map();
    }
    const matte = s ? shot.matte(s.id) : undefined;
    if (!matte) return new Map();
    const shapes = matte.pulls.flatMap((pull) => {
      // of a shape that is chosen its keys alone are shown; a shape without a second key stands still
      const chosen = pull.shapes.filter((one) => one.id === desk.shapeId);
      return (chosen.length ? chosen : pull.shapes).filter((one) => one.keys.length > 1);
    });
    const found = keyFrames(moversOfMatte(matte, ""));
    for (const shape of shapes)
      for (const key of shape.keys)
        found.set(key.frame, (found.get(key.frame) ?? true) && key.ease === "hold");
    return found;
  }

  $effect(() => {
    const about = shot.about!.plate.film;
    if (!about) return;
    const image = new Image();
    image.onload = () => (film = image);
    image.src = about.url;
  });

  $effect(() => {
    if (!box) return;
    const watch = new ResizeObserver(
      () => (size = { width: box!.clientWidth, height: box!.clientHeight }),
    );
    watch.observe(box);
    const look = new MutationObserver(() => night++);
    look.observe(document.documentElement, { attributes: true });
    return () => (watch.disconnect(), look.disconnect());
  });

  // the row under the playhead stays in sight
  $effect(() => {
    const y = desk.frame * row;
    untrack(() => {
      if (y < scroll) scroll = Math.max(0, y - row * 2);
      else if (y + row > scroll + size.height) scroll = Math.min(most, y + row * 3 - size.height);
    });
  });

  $effect(() => {
    if (!canvas) return;
    void night;
    draw(canvas, {
      width: size.width,
      height: size.height,
      row,
      scroll: Math.min(scroll, most),
      count: shot.count,
      frame: desk.frame,
      first: shot.doc!.first_number,
      loop: desk.loop,
      range: shot.range,
      film,
      filmStep: shot.about!.plate.film?.step ?? 1,
      filmCount: shot.about!.plate.film?.count ?? 1,
      columns: cols,
      mattes: shot.doc!.mattes.map((m) => ({
        selected: desk.matteId === m.id,
        frames: shot.frames.get(shot.trace(m)?.id ?? "") ?? new Map(),
      })),
      doubt: shot.frames.get(desk.trace?.id ?? "") ?? new Map(),
      checks: desk.checks.found,
      keys: keyed,
      span: landing?.to ?? desk.span,
      moved: landing,
    });
  });

  function frameAt(event: PointerEvent): number {
    const y = event.clientY - canvas!.getBoundingClientRect().top + Math.min(scroll, most);
    return Math.max(0, Math.min(shot.count - 1, Math.floor(y / row)));
  }

  let dragging: "none" | "time" | "loop" | "ring" | "span" | "stretch" | "first" | "last" = "none";
  let from = 0;
  let hold = "";
  /** Where dragged keys would land: the set, and its frames from there. */
  let landing = $state.raw<{ set: [number, number]; to: [number, number] } | null>(null);

  const keysColumn = $derived(cols.find((column) => column.kind === "keys")!);

  /** The key under the pointer, a few pixels about its ring counting. */
  function ringAt(event: PointerEvent): number | null {
    const y = event.clientY - canvas!.getBoundingClientRect().top + Math.min(scroll, most);
    const near = [...keyed.keys()]
      .map((frame) => ({ frame, far: Math.abs((frame + 0.5) * row - y) }))
      .sort((a, b) => a.far - b.far)[0];
    return near && near.far <= Math.max(6, row / 2) ? near.frame : null;
  }

  const inSpan = (frame: number) =>
    desk.span !== null && frame >= desk.span[0] && frame <= desk.span[1];

  /** Takes a ring, or begins a set; false where the press is for time. */
  function takesKeys(event: PointerEvent): boolean {
    const x = event.clientX - canvas!.getBoundingClientRect().left;
    if (x < keysColumn.x || x > keysColumn.x + keysColumn.width || !keyed.size) return false;
    const ring = ringAt(event);
    if (event.shiftKey) {
      dragging = "span";
      desk.span = [from, from];
      return true;
    }
    if (ring === null) return false;
    from = ring;
    const set: [number, number] = desk.span && inSpan(ring) ? desk.span : [ring, ring];
    // the last key of a set pulls it longer or shorter
    const lastKey = Math.max(...[...keyed.keys()].filter((f) => f <= set[1]));
    const firstKey = Math.min(...[...keyed.keys()].filter((f) => f >= set[0]));
    dragging = set[0] < set[1] && ring === lastKey && firstKey < lastKey ? "stretch" : "ring";
    landing = { set: dragging === "stretch" ? [firstKey, lastKey] : set, to: set };
    if (dragging === "stretch") landing.to = [firstKey, lastKey];
    return true;
  }

  function dragKeys(at: number) {
    if (dragging === "span") desk.span = [Math.min(from, at), Math.max(from, at)];
    if (!landing) return;
    const { set } = landing;
    const by = Math.max(at - from, -set[0]);
    landing = {
      set,
      to: dragging === "stretch" ? [set[0], Math.max(set[0] + 1, at)] : [set[0] + by, set[1] + by],
    };
  }

  function dropKeys(copies: boolean) {
    const done = landing;
    landing = null;
    if (dragging === "span" && desk.span && desk.span[0] === desk.span[1]) desk.span = null;
    if (!done || !desk.place || (done.to[0] === done.set[0] && done.to[1] === done.set[1])) return;
    const kind = dragging === "stretch" ? "stretch" : copies ? "copy" : "shift";
    const [first, last] = done.set;
    const [to_first, to_last] = done.to;
    void desk.shot.deed(kind, [desk.place], { first, last, to_first, to_last });
    desk.span = done.set[0] === done.set[1] ? null : done.to;
  }

  /** Which marker of the range is under the pointer, if one is. */
  function markerAt(event: PointerEvent): "first" | "last" | null {
    const bounds = canvas!.getBoundingClientRect();
    if (event.clientX - bounds.left > MARKER.width) return null;
    const y = event.clientY - bounds.top + Math.min(scroll, most);
    const [first, last] = [shot.range[0] * row, (shot.range[1] + 1) * row];
    if (y >= first - 2 && y <= first + MARKER.reach) return "first";
    return y <= last + 2 && y >= last - MARKER.reach ? "last" : null;
  }

  function down(event: PointerEvent) {
    if (event.button !== 0) return;
    canvas!.setPointerCapture(event.pointerId);
    const x = event.clientX - canvas!.getBoundingClientRect().left;
    from = frameAt(event);
    desk.stop();
    const marker = markerAt(event);
    if (marker) {
      dragging = marker;
      hold = `range-${Date.now()}`;
      return;
    }
    if (takesKeys(event)) return;
    desk.span = null;
    dragging = x < cols[0].width ? "loop" : "time";
    desk.go(from);
  }

  function move(event: PointerEvent) {
    if (dragging === "none") return;
    const at = frameAt(event);
    if (dragging === "ring" || dragging === "span" || dragging === "stretch") dragKeys(at);
    else if (dragging === "first") desk.setRange(Math.min(at, shot.range[1]), shot.range[1], hold);
    else if (dragging === "last") desk.setRange(shot.range[0], Math.max(at, shot.range[0]), hold);
    else if (dragging === "time") desk.go(at);
    else if (at !== from) desk.loop = [Math.min(from, at), Math.max(from, at)];
  }

  function up(event: PointerEvent) {
    // a click on a number without dragging ends the loop
    if (dragging === "ring" || dragging === "span" || dragging === "stretch") {
      // a ring that is only pressed is gone to
      if (landing && frameAt(event) === from) desk.go(from);
      dropKeys(event.altKey);
    }
    if (dragging === "loop" && frameAt(event) === from) desk.loop = null;
    dragging = "none";
  }

  function wheel(event: WheelEvent) {
    event.preventDefault();
    if (event.ctrlKey || event.metaKey) {
      zoom = Math.max(1, Math.min(24, zoom * (event.deltaY < 0 ? 1.25 : 0.8)));
      scroll = Math.max(0, Math.min(most, desk.frame * row - size.height / 2));
    } else if (event.shiftKey) scroll = Math.max(0, Math.min(most, scroll + event.deltaY));
    else desk.go(desk.frame + Math.sign(event.deltaY));
  }
</script>

<section class="sheet" aria-label="Exposure sheet">
  <div class="head">
    {#each cols as column (column.name + column.x)}
      <div
        class:upright={column.upright}
        style:left={`${column.x}px`}
        style:width={`${column.width}px`}
      >
        <span>{column.name}</span>
      </div>
    {/each}
  </div>
  <div class="rows" bind:this={box}>
    <canvas
      bind:this={canvas}
      style:width={`${size.width}px`}
      style:height={`${size.height}px`}
      role="slider"
      tabindex="0"
      data-time
      aria-label="Frame"
      aria-orientation="vertical"
      aria-valuemin={shot.doc!.first_number}
      aria-valuemax={shot.doc!.first_number + shot.count - 1}
      aria-valuenow={shot.doc!.first_number + desk.frame}
      onpointerdown={down}
      onpointermove={move}
      onpointerup={up}
      onwheel={wheel}
    ></canvas>
  </div>
  <div class="legend">
    <span><i class="touched"></i>touched</span>
    <span><i class="followed"></i>followed</span>
    <span><i class="doubt"></i>doubt</span>
    <span><i class="problem"></i>problem</span>
  </div>
</section>

<style>
  .sheet {
    display: grid;
    grid-template: 62px minmax(0, 1fr) 25px / minmax(0, 1fr);
    background: var(--sheet);
    border-right: 1px solid var(--rule);
    min-height: 0;
  }
  .head {
    position: relative;
    border-bottom: 2px solid var(--ink);
    font-family: var(--font-cond);
    font-size: 11px;
    font-weight: 500;
    color: var(--quiet);
  }
  .head div {
    position: absolute;
    bottom: 3px;
    text-align: center;
    overflow: hidden;
    white-space: nowrap;
  }
  .head .upright {
    display: grid;
    justify-items: center;
    height: 56px;
    color: var(--ink);
  }
  .head .upright span {
    writing-mode: vertical-rl;
    rotate: 180deg;
    max-height: 56px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .rows {
    position: relative;
    min-height: 0;
    overflow: hidden;
  }
  canvas {
    display: block;
    cursor: ns-resize;
    touch-action: none;
  }
  canvas:focus-visible {
    outline-offset: -2px;
  }
  .legend {
    display: flex;
    align-items: center;
    justify-content: space-between;
    padding: 0 6px;
    border-top: 1px solid var(--rule);
    font-size: 10.5px;
    color: var(--quiet);
    white-space: nowrap;
  }
  .legend span {
    display: flex;
    align-items: center;
    gap: 3px;
  }
  i {
    width: 9px;
    height: 4px;
    border-radius: 1px;
  }
  .touched {
    background: var(--red);
    rotate: -14deg;
  }
  .followed {
    background: var(--blue);
    height: 2px;
  }
  .problem {
    width: 0;
    height: 0;
    border: 4px solid transparent;
    border-top: 0;
    border-bottom: 7px solid var(--red);
    border-radius: 0;
  }
  .doubt {
    background: var(--doubt);
    height: 6px;
  }
</style>
