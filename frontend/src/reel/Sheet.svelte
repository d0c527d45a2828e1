<!-- The sheet of a reel: its pieces at their true lengths, time running down, with their joins and moves. -->
<script lang="ts">
  import { untrack } from "svelte";
  import type { Desk } from "../desk/desk.svelte";
  import { notes } from "../lib/notes.svelte";
  import { moved, trimmed, wayInto, type Laid } from "../lib/reel";
  import { layShot, LAID } from "./lay";
  import { joinSays, moveSays } from "./says";
  import { Tiles } from "./tiles.svelte";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  const reel = $derived(shot.reel!);
  const all = $derived(shot.laid);
  const first = $derived(shot.doc.first_number);
  const FILM = 60;
  const MOST = 40; // pixels of a row

  let box = $state<HTMLDivElement>();
  let height = $state(600);
  let zoom = $state(1);
  /** Pixels of a frame. */
  const row = $derived(
    Math.min(MOST, Math.max(0.02, (height - 12) / Math.max(1, shot.count)) * zoom),
  );
  const deep = $derived(row * shot.count);
  const tile = $derived(
    Math.round((FILM * shot.about.plate.height!) / Math.max(1, shot.about.plate.width!)),
  );
  let scroll = $state(0);
  /** The frames of which a small picture is shown: one below the other, as far as they are in sight. */
  const seen = $derived.by(() => {
    const out: { frame: number; y: number; of: Laid }[] = [];
    for (const one of all) {
      const [top, bottom] = [one.begin * row, (one.begin + one.count) * row];
      if (bottom < scroll - 50 || top > scroll + height + 50) continue;
      for (let y = top; y < bottom; y += tile) {
        const frame = Math.min(one.begin + one.count - 1, Math.floor(y / row + 1e-6));
        if (y + tile > scroll - 50 && y < scroll + height + 50) out.push({ frame, y, of: one });
      }
    }
    return out;
  });
  // svelte-ignore state_referenced_locally (a component never changes its desk)
  const tiles = new Tiles(shot.id);
  const small = $derived(seen.map((one) => one.frame).join(" "));
  $effect(() => {
    void [shot.version, small];
    untrack(() => tiles.want(seen.map((one) => one.frame)));
  });

  // the playhead stays in sight
  $effect(() => {
    const y = desk.playback.frame * row;
    untrack(() => {
      if (!box || hand) return;
      if (y < box.scrollTop) box.scrollTop = Math.max(0, y - 40);
      else if (y > box.scrollTop + height - 20) box.scrollTop = y - height + 80;
    });
  });

  let sound = $state<HTMLCanvasElement>();
  const sounds = $derived(desk.playback.heard.there);
  $effect(() => {
    const [peaks, canvas] = [desk.playback.heard.peaks, sound];
    if (!canvas) return;
    const ratio = devicePixelRatio || 1;
    [canvas.width, canvas.height] = [20 * ratio, Math.max(1, height) * ratio];
    const to = canvas.getContext("2d")!;
    to.scale(ratio, ratio);
    to.clearRect(0, 0, 20, height);
    if (!peaks) return;
    const each = desk.playback.heard.about?.peaks ?? 4;
    to.fillStyle = getComputedStyle(canvas).color;
    for (let y = 0; y < height; y++) {
      const from = Math.floor(((scroll + y) / row) * each);
      const to_ = Math.max(from + 1, Math.floor(((scroll + y + 1) / row) * each));
      let most = 0;
      for (let n = from; n < to_ && n < peaks.length; n++) most = Math.max(most, peaks[n]);
      const wide = (most / 255) * 18;
      if (wide > 0.3) to.fillRect(10 - wide / 2, y, wide, 1);
    }
  });

  type Hand =
    | { what: "go" }
    | { what: "move"; one: Laid; y: number; to: number; far: boolean }
    | { what: "first" | "last"; one: Laid; y: number; gesture: string; frames: number };
  let hand = $state.raw<Hand | null>(null);
  /** Before which piece something would be laid that is held over the sheet. */
  let over = $state<number | null>(null);

  const at = (event: PointerEvent | DragEvent) =>
    event.clientY - box!.getBoundingClientRect().top + box!.scrollTop;
  const frameAt = (y: number) => Math.max(0, Math.min(shot.count - 1, Math.floor(y / row)));

  /** Between which pieces a height lies: the number of the one behind it. */
  function placeAt(y: number): number {
    const frame = y / row;
    const found = all.findIndex((one) => frame < one.begin + one.count / 2);
    return found < 0 ? all.length : found;
  }

  function select(one: Laid) {
    desk.selection.thing = { kind: "piece", id: one.piece.id };
    desk.shelf = null;
  }

  function down(event: PointerEvent, one: Laid) {
    if (event.button !== 0) return;
    event.stopPropagation();
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    select(one);
    desk.playback.stop();
    desk.playback.go(frameAt(at(event)));
    hand = { what: "move", one, y: event.clientY, to: one.at, far: false };
  }

  function grab(event: PointerEvent, one: Laid, what: "first" | "last") {
    if (event.button !== 0) return;
    event.stopPropagation();
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    select(one);
    const frames = reel.footage.find((entry) => entry.id === one.piece.shot)?.frames ?? 1;
    hand = { what, one, y: event.clientY, gesture: shot.freshId("g"), frames };
  }

  function drag(event: PointerEvent) {
    if (!hand) return;
    if (hand.what === "go") desk.playback.go(frameAt(at(event)));
    else if (hand.what === "move") {
      const far = hand.far || Math.abs(event.clientY - hand.y) > 6;
      hand = { ...hand, far, to: placeAt(at(event)) };
      over = far ? hand.to : null;
    } else {
      const by = Math.round((event.clientY - hand.y) / row);
      const ops = trimmed(hand.one, hand.what, by, hand.frames);
      shot.edit(ops, `trim ${desk.inside.name(hand.one.piece.shot)}`, hand.gesture);
      const now = shot.laid[hand.one.at];
      if (now) desk.playback.go(hand.what === "first" ? now.begin : now.begin + now.count - 1);
    }
  }

  function lift() {
    if (hand?.what === "move" && hand.far) {
      const ops = moved(hand.one.at, hand.to);
      if (ops.length) shot.edit(ops, `move ${desk.inside.name(hand.one.piece.shot)}`);
    }
    hand = null;
    over = null;
  }

  function open(one: Laid, event: MouseEvent) {
    const number = desk.inside.shots[one.piece.shot]?.id;
    const frame = Math.floor(
      (event.clientY - box!.getBoundingClientRect().top + box!.scrollTop) / row,
    );
    if (number) location.hash = wayInto(number, one, shot.id, frame);
  }

  function hold(event: DragEvent) {
    if (!event.dataTransfer?.types.includes(LAID)) return;
    event.preventDefault();
    over = all.length ? placeAt(at(event)) : 0;
  }

  function drop(event: DragEvent) {
    const raw = event.dataTransfer?.getData(LAID);
    if (!raw) return;
    event.preventDefault();
    const to = over ?? all.length;
    over = null;
    layShot(desk, JSON.parse(raw), to).catch(notes.fault);
  }

  function wheel(event: WheelEvent) {
    if (!event.ctrlKey && !event.metaKey) return;
    event.preventDefault();
    const frame = desk.playback.frame;
    const where = frame * row - box!.scrollTop;
    const whole = Math.max(0.02, (height - 12) / Math.max(1, shot.count));
    const by = Math.exp(-Math.max(-40, Math.min(40, event.deltaY)) / 180);
    zoom = Math.max(1, Math.min(Math.max(1, MOST / whole), zoom * by));
    requestAnimationFrame(() => (box!.scrollTop = frame * row - where));
  }

  /** Sorts by the keyboard as the hand does: Alt with up and down moves the chosen piece. */
  function key(event: KeyboardEvent, one: Laid) {
    const by = event.key === "ArrowUp" ? -1 : event.key === "ArrowDown" ? 1 : 0;
    if (event.altKey && by) {
      const ops = moved(one.at, by < 0 ? one.at - 1 : one.at + 2);
      if (one.at + by >= 0 && one.at + by < all.length)
        shot.edit(ops, `move ${desk.inside.name(one.piece.shot)}`);
    } else if (event.key === "Delete" || event.key === "Backspace") {
      shot.edit(
        [{ op: "remove", path: `/pieces/${one.at}` }],
        `take ${desk.inside.name(one.piece.shot)} out`,
      );
    } else if (event.key === "Enter") {
      select(one);
      desk.playback.go(one.begin);
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }

  const WEDGE = 22;
  /** A move as a wedge that opens or closes, or a slant. */
  function wedge(one: Laid): string {
    const [top, bottom] = [one.begin * row, (one.begin + one.count) * row];
    const kind = (one.piece.move as { kind?: string })?.kind ?? "none";
    const [a, b] = kind === "push in" ? [8, WEDGE] : kind === "pull out" ? [WEDGE, 8] : [8, 8];
    if (kind === "slide" || kind === "from and to")
      return `M0 ${top} L8 ${top} L${WEDGE} ${bottom} L${WEDGE - 8} ${bottom} Z`;
    return `M0 ${top} L${a} ${top} L${b} ${bottom} L0 ${bottom} Z`;
  }
</script>

<section
  class="grid min-h-0 grid-cols-1 grid-rows-[62px_minmax(0,1fr)_25px] border-r border-rule bg-sheet"
  aria-label="Sheet of the reel"
>
  <div class="relative border-b-2 border-ink font-cond text-[11px] font-medium text-quiet">
    {#each [["Frame", 5], ["Pieces", 44], ...(sounds ? [["Sound", 44 + FILM]] : []), ["Move", 50 + FILM + (sounds ? 22 : 0)]] as const as [word, x] (word)}
      <span
        class={[
          "absolute bottom-[3px]",
          word === "Sound" && "origin-bottom-left -rotate-90 translate-x-5",
        ]}
        style:left={`${x}px`}>{word}</span
      >
    {/each}
    {#if zoom > 1}<button
        class="absolute right-1 bottom-0.5 rounded px-1 hover:bg-stand"
        title="All of the reel at once"
        onclick={() => (zoom = 1)}>all</button
      >{/if}
  </div>
  <div
    class="relative min-h-0 touch-none overflow-x-hidden overflow-y-auto"
    bind:this={box}
    bind:clientHeight={height}
    role="group"
    aria-label="Pieces"
    onscroll={() => (scroll = box!.scrollTop)}
    onpointermove={drag}
    onpointerup={lift}
    onpointercancel={lift}
    onwheel={wheel}
    ondragover={hold}
    ondragleave={() => (over = null)}
    ondrop={drop}
  >
    <div class="relative" style:height={`${Math.max(deep + 8, height - 4)}px`}>
      <div
        class="absolute inset-0"
        role="slider"
        tabindex="0"
        data-time
        aria-label="Frame"
        aria-orientation="vertical"
        aria-valuemin={first}
        aria-valuemax={first + shot.count - 1}
        aria-valuenow={first + desk.playback.frame}
        onpointerdown={(e) => {
          if (e.button !== 0) return;
          e.currentTarget.setPointerCapture(e.pointerId);
          hand = { what: "go" };
          desk.playback.go(frameAt(at(e)));
        }}
      ></div>
      {#if sounds}<canvas
          class="pointer-events-none absolute text-quiet"
          style:left={`${45 + FILM}px`}
          style:top={`${scroll}px`}
          style:width="20px"
          style:height={`${height}px`}
          bind:this={sound}
        ></canvas>{/if}
      <svg
        class="pointer-events-none absolute top-0 overflow-visible"
        style:left={`${48 + FILM + (sounds ? 20 : 0)}px`}
        width={WEDGE}
        height={deep}
        aria-hidden="true"
      >
        {#each all as one (one.piece.id)}
          {#if (one.piece.move as { kind?: string })?.kind && (one.piece.move as { kind?: string }).kind !== "none"}
            <path d={wedge(one)} class="fill-blue/25 stroke-blue" stroke-width="1" />
          {/if}
        {/each}
      </svg>
      {#each all as one (one.piece.id)}
        {@const top = one.begin * row}
        {@const high = Math.max(2, one.count * row)}
        {@const chosen = desk.selection.is("piece", one.piece.id)}
        {@const there = desk.inside.shots[one.piece.shot]}
        <span
          class="pointer-events-none absolute left-1 font-mono text-[11.5px]"
          style:top={`${top}px`}>{high > 13 ? first + one.begin : ""}</span
        >
        <div
          class={[
            "absolute cursor-grab overflow-hidden border-x border-t bg-film",
            chosen ? "z-10 border-2 border-ink outline-1 outline-paper" : "border-film",
          ]}
          role="button"
          tabindex="0"
          aria-pressed={chosen}
          aria-label={`Piece ${one.at + 1}: ${desk.inside.name(one.piece.shot)}`}
          style:left="44px"
          style:top={`${top}px`}
          style:width={`${FILM}px`}
          style:height={`${high}px`}
          onpointerdown={(e) => down(e, one)}
          ondblclick={(e) => open(one, e)}
          onkeydown={(e) => key(e, one)}
        >
          {#each seen.filter((s) => s.of === one) as s (s.y)}
            {@const url = tiles.urls.get(s.frame)}
            {#if url}<img
                class="pointer-events-none absolute left-0 w-full border-b border-film object-cover"
                style:top={`${s.y - top}px`}
                style:height={`${tile}px`}
                src={url}
                alt=""
                draggable="false"
              />{/if}
          {/each}
          {#if there?.state === "trash" || (!there && Object.keys(desk.inside.shots).length)}
            <span
              class="absolute inset-0 grid place-items-center bg-paper/80 text-[11px] text-redtext"
              >{there ? "in the trash" : "not here"}</span
            >
          {/if}
          {#if one.shared}
            <svg
              class="pointer-events-none absolute inset-x-0 top-0 w-full"
              style:height={`${one.shared * row}px`}
              viewBox="0 0 10 10"
              preserveAspectRatio="none"
              aria-hidden="true"
              ><path
                d="M0 0L10 10M10 0L0 10M0 10L10 10"
                class="stroke-white"
                stroke-width="1.4"
                vector-effect="non-scaling-stroke"
              /></svg
            >
          {/if}
        </div>
        {#if high > 14}
          {#each ["first", "last"] as const as end (end)}
            <div
              class="absolute z-20 h-2 cursor-ns-resize hover:bg-blue/60"
              role="presentation"
              data-trim={`${end} ${one.at}`}
              title={end === "first" ? "Drag its beginning" : "Drag its end"}
              style:left="44px"
              style:width={`${FILM}px`}
              style:top={`${end === "first" ? top + one.shared * row * 0 : top + high - 8}px`}
              onpointerdown={(e) => grab(e, one, end)}
            ></div>
          {/each}
        {/if}
        {#if high > 26}
          <span
            class="pointer-events-none absolute right-1 overflow-hidden leading-tight"
            style:top={`${top + 1}px`}
            style:left={`${52 + FILM + WEDGE + (sounds ? 20 : 0)}px`}
          >
            <b
              class={["block text-[11px] font-semibold", high > 60 ? "line-clamp-3" : "truncate"]}
              title={desk.inside.name(one.piece.shot)}>{desk.inside.name(one.piece.shot)}</b
            >
            <span class="block truncate text-[10.5px] text-quiet"
              >{moveSays(one.piece) || joinSays(one.piece, one.shared)}</span
            >
            {#if high > 90}<span
                class="block truncate font-mono text-[10.5px] text-quiet"
                title="The frames of its shot"
                >{(there?.first_number ?? 1001) + one.piece.first}–{(there?.first_number ?? 1001) +
                  one.piece.last}</span
              >{/if}
          </span>
        {/if}
      {:else}
        <p class="m-3 text-[12.5px] text-quiet">
          Nothing lies here yet. Drag shots or footage here from the right, or lay them in by their
          +.
        </p>
      {/each}
      {#each reel.markers as marker (marker.frame + marker.name)}
        <div
          class="pointer-events-none absolute right-0 left-10 z-20 border-t border-dashed border-red"
          style:top={`${marker.frame * row}px`}
        >
          <span
            class={[
              "absolute right-1 text-[10.5px] leading-tight text-redtext",
              marker.frame * row > 14 ? "bottom-0" : "top-0",
            ]}>{marker.name}</span
          >
        </div>
      {/each}
      <div
        class="pointer-events-none absolute inset-x-0 z-30 border-t-2 border-ink"
        style:top={`${(desk.playback.frame + 0.5) * row}px`}
      >
        <span
          class="absolute left-0 rounded-sm bg-ink px-1 font-mono text-[11.5px] text-on-ink"
          style:top={`${Math.max(-10, -desk.playback.frame * row)}px`}
          >{first + desk.playback.frame}</span
        >
      </div>
      {#if over !== null}
        <div
          class="pointer-events-none absolute right-2 left-10 z-30 h-1 rounded bg-blue"
          style:top={`${(all[over]?.begin ?? shot.count) * row - 2}px`}
        ></div>
      {/if}
    </div>
  </div>
  <div
    class="flex items-center justify-between border-t border-rule px-2 text-[10.5px] whitespace-nowrap text-quiet"
  >
    <span>drag to sort</span><span>ends to trim</span><span>twice to open</span>
  </div>
</section>
