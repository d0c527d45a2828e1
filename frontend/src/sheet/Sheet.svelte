<script lang="ts">
  import { untrack } from "svelte";
  import { Fingers } from "../lib/fingers";
  import { shifted } from "../lib/timecode";
  import { keyFrames, moversOfMatte, moversOfPlane } from "../lib/movers";
  import type { Desk } from "../desk/desk.svelte";
  import { columns, draw, type Column, type Followed } from "./draw";
  import { MOST, Rows } from "./rows";
  import { joinOf, SheetHand } from "./hand.svelte";

  let { desk }: { desk: Desk } = $props();
  const CHIPS = [
    { says: "touched", look: "h-1 w-[9px] -rotate-14 rounded-px bg-red" },
    { says: "followed", look: "h-0.5 w-[9px] bg-blue" },
    { says: "doubt", look: "h-1.5 w-[9px] rounded-px bg-(--doubt)" },
    {
      says: "problem",
      look: "size-0 border-4 border-t-0 border-b-[7px] border-transparent border-b-red",
    },
  ];
  const shot = $derived(desk.shot);
  let box = $state<HTMLDivElement>();
  let canvas = $state<HTMLCanvasElement>();
  let size = $state.raw({ width: 228, height: 600 });
  let zoom = $state(1);
  let scroll = $state(0);
  let film = $state.raw<HTMLImageElement | null>(null);
  let night = $state(0);
  let coded = $state(localStorage.getItem("timecode") === "on");

  /** The plate's time code of its first frame, where the file has one. */
  const since = $derived(
    shot.doc.footage.find((one) => one.id === shot.doc.plate)?.timecode || null,
  );
  const code = $derived.by(() => {
    const [from, fps] = [since, shot.doc.format.fps ?? shot.about.plate.fps];
    return coded && from ? (frame: number) => shifted(from, frame, fps) ?? "" : null;
  });

  function turn() {
    coded = !coded;
    localStorage.setItem("timecode", coded ? "on" : "off");
  }

  /** Whether what is outside the range is folded to stripes; a press on one unfolds it. */
  let folded = $state(true);
  const partial = $derived(shot.range[0] > 0 || shot.range[1] < shot.count - 1);
  const rows = $derived(new Rows(shot.count, shot.range, folded && partial, size.height, zoom));
  const most = $derived(Math.max(0, rows.deep - size.height));

  /** Whether rows may lie further up or down than they are scrolled: a marker stays under the hand that drags it. */
  let loose = $state(false);
  const scrolled = $derived(loose ? scroll : Math.min(scroll, most));

  /** Changes how rows lie, with the row of a frame where it is on the screen. */
  function keeping(frame: number, change: () => void) {
    const where = rows.y(frame) - scrolled;
    change();
    const there = rows.y(frame) - where;
    scroll = loose ? there : Math.max(0, Math.min(most, there));
  }
  const all = $derived<Followed[]>([
    ...shot.doc.mattes.map((m) => ({
      name: m.name,
      selected: desk.selection.matteId === m.id && !desk.selection.track,
      frames: shot.framesOf(shot.trace(m)?.id),
    })),
    ...shot.doc.tracks.map((t) => ({
      name: t.name,
      selected: desk.selection.is("track", t.id),
      frames: shot.framesOf(t.id),
    })),
  ]);
  const cols = $derived<Column[]>(
    columns(
      size.width,
      all,
      keyedName(),
      desk.playback.heard.there,
      !!code,
      desk.selection.take ? "Join" : "Chatter",
    ),
  );
  const keyed = $derived(keysOfSelection());
  // svelte-ignore state_referenced_locally (a component never changes its desk)
  const hand = new SheetHand(desk, () => ({
    canvas: canvas!,
    rows,
    scroll: scrolled,
    unfold: (kept, held) => keeping(kept, () => ([folded, loose] = [false, held])),
    fold: () => keeping(desk.playback.frame, () => ([folded, loose] = [true, false])),
    columns: cols,
    keyed,
  }));

  function keyedName(): string {
    const s = desk.selection.thing;
    if (s?.kind === "plane") return shot.plane(s.id)?.name ?? "";
    return desk.tools.shaping?.shapes.find((one) => one.id === desk.selection.shapeId)?.name ?? "";
  }

  /** Frames with a keyframe among what is selected, and whether the value holds from there. */
  function keysOfSelection(): Map<number, boolean> {
    const s = desk.selection.thing;
    if (s?.kind === "plane") {
      const plane = shot.plane(s.id);
      return plane ? keyFrames(moversOfPlane(plane, "")) : new Map();
    }
    const matte = s ? shot.matte(s.id) : undefined;
    if (!matte) return new Map();
    const shapes = matte.pulls.flatMap((pull) => {
      // of a shape that is chosen its keys alone are shown; a shape without a second key stands still
      const chosen = pull.shapes.filter((one) => one.id === desk.selection.shapeId);
      return (chosen.length ? chosen : pull.shapes).filter((one) => one.keys.length > 1);
    });
    const found = keyFrames(moversOfMatte(matte, ""));
    for (const shape of shapes)
      for (const key of shape.keys)
        found.set(key.frame, (found.get(key.frame) ?? true) && key.ease === "hold");
    return found;
  }

  $effect(() => {
    const about = shot.about.plate.film;
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
    const y = rows.y(desk.playback.frame);
    untrack(() => {
      if (loose) return;
      if (y < scroll) scroll = Math.max(0, y - rows.row * 2);
      else if (y + rows.row > scroll + size.height)
        scroll = Math.min(most, y + rows.row * 3 - size.height);
    });
  });

  $effect(() => {
    if (!canvas) return;
    void night;
    draw(canvas, {
      width: size.width,
      height: size.height,
      rows,
      scroll: scrolled,
      count: shot.count,
      frame: desk.playback.frame,
      first: shot.doc.first_number,
      code,
      loop: desk.playback.loop,
      range: shot.range,
      join: joinOf(desk),
      film,
      filmStep: shot.about.plate.film?.step ?? 1,
      filmCount: shot.about.plate.film?.count ?? 1,
      columns: cols,
      followed: all,
      doubt: shot.framesOf(desk.selection.followed),
      checks: desk.checks.found,
      peaks: desk.playback.heard.peaks,
      peaksEach: desk.playback.heard.about?.peaks ?? 4,
      cuts: hand.cutting ? hand.cutting.cuts : (shot.doc.cuts ?? []),
      exposed: desk.exposed,
      keys: keyed,
      span: hand.landing?.to ?? desk.span,
      moved: hand.landing,
    });
  });

  /** Zooms by a factor, as far as rows grow; the row under the playhead stays. */
  function zoomed(by: number) {
    const largest = Math.max(1, MOST / rows.whole);
    keeping(desk.playback.frame, () => (zoom = Math.max(1, Math.min(largest, zoom * by))));
  }

  const fingers = new Fingers();

  function down(event: PointerEvent) {
    if (fingers.add(event)) hand.up(event);
    else hand.down(event);
  }

  function move(event: PointerEvent) {
    const pinch = fingers.move(event);
    if (pinch) zoomed(pinch.by);
    if (!fingers.two) hand.move(event);
  }

  function lift(event: PointerEvent) {
    if (!fingers.lift(event)) hand.up(event);
  }

  function wheel(event: WheelEvent) {
    event.preventDefault();
    if (event.ctrlKey || event.metaKey) {
      // a pinch on a pad comes in many small steps
      zoomed(Math.exp(-Math.max(-40, Math.min(40, event.deltaY)) / 180));
    } else if (event.shiftKey) scroll = Math.max(0, Math.min(most, scroll + event.deltaY));
    else desk.playback.go(desk.playback.frame + Math.sign(event.deltaY));
  }
</script>

<section
  class="grid min-h-0 grid-cols-1 grid-rows-[62px_minmax(0,1fr)_25px] border-r border-rule bg-sheet"
  aria-label="Exposure sheet"
>
  <div class="relative border-b-2 border-ink font-cond text-[11px] font-medium text-quiet">
    {#each cols as column (column.name + column.x)}
      <div
        class={[
          "absolute bottom-[3px] overflow-hidden text-center whitespace-nowrap",
          column.upright && "grid h-14 justify-items-center text-ink",
        ]}
        style:left={`${column.x}px`}
        style:width={`${column.width}px`}
      >
        {#if column.kind === "frame" && since}<button
            class="w-full rounded hover:text-ink"
            aria-pressed={coded}
            aria-label="Time code"
            title={coded ? "Frame numbers instead" : "Time code instead"}
            onclick={turn}>{column.name} ⇄</button
          >{:else}
          <span
            class={column.upright
              ? "max-h-14 rotate-180 overflow-hidden text-ellipsis [writing-mode:vertical-rl]"
              : ""}>{column.name}</span
          >{/if}
      </div>
    {/each}
  </div>
  <div class="relative min-h-0 overflow-hidden" bind:this={box}>
    <canvas
      class="block cursor-ns-resize touch-none focus-visible:-outline-offset-2"
      bind:this={canvas}
      style:width={`${size.width}px`}
      style:height={`${size.height}px`}
      role="slider"
      tabindex="0"
      data-time
      aria-label="Frame"
      aria-orientation="vertical"
      aria-valuemin={shot.doc.first_number}
      aria-valuemax={shot.doc.first_number + shot.count - 1}
      aria-valuenow={shot.doc.first_number + desk.playback.frame}
      onpointerdown={down}
      onpointermove={move}
      onpointerup={lift}
      onpointercancel={lift}
      onwheel={wheel}
    ></canvas>
    {#if partial && !rows.folded}<button
        type="button"
        class="absolute top-1 right-1 rounded border border-rule bg-card px-1.5 text-[11px] text-quiet hover:border-ink hover:text-ink"
        title="What lies outside the range takes a thin stripe"
        onclick={() => keeping(desk.playback.frame, () => (folded = true))}>fold</button
      >{/if}
  </div>
  <div
    class="flex items-center justify-between border-t border-rule px-1.5 text-[10.5px] whitespace-nowrap text-quiet"
  >
    {#each CHIPS as chip (chip.says)}
      <span class="flex items-center gap-1"><span class={chip.look}></span>{chip.says}</span>
    {/each}
  </div>
</section>
