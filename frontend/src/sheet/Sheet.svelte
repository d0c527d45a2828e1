<script lang="ts">
  import { untrack } from "svelte";
  import { shifted } from "../lib/timecode";
  import { keyFrames, moversOfMatte, moversOfPlane } from "../lib/movers";
  import type { Desk } from "../desk/desk.svelte";
  import { columns, draw, type Column, type Followed } from "./draw";
  import { SheetHand } from "./hand.svelte";

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

  const row = $derived(Math.max(size.height / shot.count, 2.2) * zoom);
  const most = $derived(Math.max(0, row * shot.count - size.height));
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
    columns(size.width, all, keyedName(), desk.playback.heard.there, !!code),
  );
  const keyed = $derived(keysOfSelection());
  // svelte-ignore state_referenced_locally (a component never changes its desk)
  const hand = new SheetHand(desk, () => ({
    canvas: canvas!,
    row,
    scroll: Math.min(scroll, most),
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
    const y = desk.playback.frame * row;
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
      frame: desk.playback.frame,
      first: shot.doc.first_number,
      code,
      loop: desk.playback.loop,
      range: shot.range,
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

  function wheel(event: WheelEvent) {
    event.preventDefault();
    if (event.ctrlKey || event.metaKey) {
      zoom = Math.max(1, Math.min(24, zoom * (event.deltaY < 0 ? 1.25 : 0.8)));
      scroll = Math.max(0, Math.min(most, desk.playback.frame * row - size.height / 2));
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
      onpointerdown={(e) => hand.down(e)}
      onpointermove={(e) => hand.move(e)}
      onpointerup={(e) => hand.up(e)}
      onwheel={wheel}
    ></canvas>
  </div>
  <div
    class="flex items-center justify-between border-t border-rule px-1.5 text-[10.5px] whitespace-nowrap text-quiet"
  >
    {#each CHIPS as chip (chip.says)}
      <span class="flex items-center gap-1"><span class={chip.look}></span>{chip.says}</span>
    {/each}
  </div>
</section>
