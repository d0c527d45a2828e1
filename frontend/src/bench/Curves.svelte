<!-- Everything that moves of what is selected, as curves over the frames; keys and handles can be dragged. -->
<script lang="ts">
  import type { Key } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { moves, moversOfMatte, moversOfPlane, named } from "../lib/movers";
  import { isDriver, keysOf, withKey } from "../lib/values";
  import CurveNames from "./CurveNames.svelte";
  import { bounds, handleDragged, keyDragged, number, Paper, type Grip } from "./plot";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  const catalogue = $derived(shot.catalogue);
  const first = $derived(shot.doc.first_number);
  let box = $state<SVGSVGElement>();
  let size = $state.raw({ width: 500, height: 170 });
  /** The frames that are seen; null for all. */
  let seen = $state.raw<[number, number] | null>(null);
  let off = $state.raw<Set<string>>(new Set());
  let chosen = $state<string | null>(null);
  /** A value as it is dragged, until it is let go. */
  let moving = $state.raw<{ path: string; value: unknown } | null>(null);
  let drag: { path: string; frame: number; what: Grip; low: number; high: number } | null = null;
  let landed = false;

  const STROKES = ["", "7 3", "2 3", "9 3 2 3", "1 4", "12 4"];
  const most = $derived(Math.max(1, shot.count - 1));
  const paper = $derived(new Paper(size.width, size.height, seen ?? [0, most]));
  const all = $derived.by(() => {
    const { plane, place } = desk.selection;
    const matte = shot.matte(desk.selection.thing?.id);
    const found =
      plane && place
        ? moversOfPlane(plane, place)
        : matte && place
          ? moversOfMatte(matte, place)
          : [];
    return found.filter(
      (m) => moves(m.value) && !keysOf(m.value).some((k) => Array.isArray(k.value)),
    );
  });
  const at = (frame: number) => desk.at(frame);
  const shown = $derived(
    all.map((mover, i) => {
      const value = moving?.path === mover.path ? moving.value : mover.value;
      const m = { ...mover, value, ...named(mover, catalogue), dash: STROKES[i % STROKES.length] };
      // while it is dragged, its curve keeps the room that it had
      return { ...m, ...(drag?.path === m.path ? drag : bounds(m, shot.count, at)), path: m.path };
    }),
  );
  type Shown = (typeof shown)[number];

  $effect(() => {
    if (!box) return;
    const watch = new ResizeObserver(
      () => (size = { width: box!.clientWidth, height: box!.clientHeight }),
    );
    watch.observe(box);
    return () => watch.disconnect();
  });

  function down(event: PointerEvent, m: Shown, frame: number, what: Grip) {
    event.stopPropagation();
    chosen = m.path;
    drag = { path: m.path, frame, what, low: m.low, high: m.high };
    moving = { path: m.path, value: m.value };
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
  }

  function move(event: PointerEvent) {
    const m = all.find((one) => one.path === drag?.path);
    if (!drag || !m) return;
    const corner = box!.getBoundingClientRect();
    const frame = paper.frame(event.clientX - corner.left);
    const value = paper.value(drag, event.clientY - corner.top);
    if (drag.what === "key") {
      const field = named(m, catalogue).field;
      const [low, high] = [field?.low ?? 0, field?.high ?? (m.about === "gate" ? 4000 : 1)];
      const to = Math.max(0, Math.min(shot.count - 1, Math.round(frame)));
      const put = Math.max(low, Math.min(high, value));
      landed = true;
      moving = { path: m.path, value: keyDragged(m.value, drag.frame, to, put) };
    } else {
      const next = handleDragged(m.value, drag.frame, drag.what, { frame, value });
      moving = { path: m.path, value: next };
    }
  }

  function up() {
    const done = moving;
    const m = all.find((one) => one.path === done?.path);
    if (done && m && drag && JSON.stringify(done.value) !== JSON.stringify(m.value))
      shot.edit([{ op: "add", path: done.path, value: done.value }], "curve");
    else if (drag?.what === "key" && !landed) desk.playback.go(drag.frame);
    drag = moving = null;
    landed = false;
  }

  function nudged(event: KeyboardEvent, m: Shown, key: Key) {
    const step = (m.field?.step ?? 0.01) * (event.shiftKey ? 10 : 1);
    const [low, high] = [m.field?.low ?? 0, m.field?.high ?? 1];
    const changes: Record<string, Partial<Key>> = {
      ArrowLeft: { frame: Math.max(0, key.frame - 1) },
      ArrowRight: { frame: Math.min(shot.count - 1, key.frame + 1) },
      ArrowUp: { value: Math.min(high, number(key) + step) },
      ArrowDown: { value: Math.max(low, number(key) - step) },
    };
    const removes = event.key === "Delete" || event.key === "Backspace";
    if (!removes && !changes[event.key]) return;
    event.preventDefault();
    event.stopPropagation();
    if (removes) void shot.deed("remove", [m.path], { first: key.frame, last: key.frame });
    else {
      const value = withKey(m.value, key.frame, changes[event.key]);
      shot.edit([{ op: "add", path: m.path, value }], "curve");
    }
  }

  const across = (event: MouseEvent) => event.clientX - box!.getBoundingClientRect().left;

  function wheel(event: WheelEvent) {
    event.preventDefault();
    seen = paper.zoomed(across(event), event.deltaY < 0 ? 0.8 : 1.25, most);
  }

  function turn(path: string) {
    const next = new Set(off);
    if (!next.delete(path)) next.add(path);
    off = next;
  }
</script>

<div class="grid min-h-0 grid-cols-[218px_minmax(0,1fr)]">
  <CurveNames list={shown} env={desk.env} {chosen} {off} onturn={turn} />
  <svg
    class="size-full min-h-0 touch-none bg-sheet"
    bind:this={box}
    role="group"
    aria-label="Curves"
    onwheel={wheel}
    onpointerdown={(e) => desk.playback.go(Math.round(paper.frame(across(e))))}
    data-frames={`${paper.span[0]}-${paper.span[1]}`}
  >
    {#each paper.labels() as f (f)}
      <path d={`M${paper.x(f)} 6V${paper.foot + 3}`} class="stroke-faint" />
      <text
        class="fill-quiet font-mono text-[10.5px] font-medium"
        text-anchor="middle"
        x={paper.x(f)}
        y={size.height - 5}>{first + f}</text
      >
    {/each}
    <path
      d={`M${paper.x(desk.playback.frame)} 0V${paper.foot + 6}`}
      class="stroke-ink stroke-[1.4]"
    />
    {#each shown.filter((m) => !off.has(m.path)) as m (m.path)}
      <path
        d={paper.curve(m, at)}
        class={[
          "fill-none",
          chosen === m.path
            ? "stroke-ink stroke-[2.2]"
            : isDriver(m.value)
              ? "stroke-blue stroke-[1.5]"
              : "stroke-quiet stroke-[1.5]",
        ]}
        stroke-dasharray={m.dash}
      />
      {#each paper.handles(m) as h (`${h.key.frame}${h.what}`)}
        <path d={`M${h.at[0]} ${h.at[1]}L${h.px} ${h.py}`} class="stroke-quiet" />
        <rect
          class="cursor-grab fill-card stroke-ink"
          x={h.px - 4}
          y={h.py - 4}
          width="8"
          height="8"
          role="button"
          tabindex="-1"
          aria-label={`Handle of ${m.label}, frame ${first + h.key.frame}`}
          data-handle={`${h.what}-${h.key.frame}`}
          onpointerdown={(e) => down(e, m, h.key.frame, h.what)}
          onpointermove={move}
          onpointerup={up}
        />
      {/each}
      {#each keysOf(m.value).filter((k) => k.frame >= paper.span[0] && k.frame <= paper.span[1]) as key (key.frame)}
        <circle
          class="cursor-grab fill-card stroke-ink stroke-[1.5]"
          cx={paper.x(key.frame)}
          cy={paper.y(m, number(key))}
          r="5"
          role="button"
          tabindex="0"
          aria-label={`${m.label}: key on frame ${first + key.frame}`}
          onpointerdown={(e) => down(e, m, key.frame, "key")}
          onpointermove={move}
          onpointerup={up}
          onfocus={() => (chosen = m.path)}
          onkeydown={(e) => nudged(e, m, key)}
        />
        <circle
          class="pointer-events-none fill-ink"
          cx={paper.x(key.frame)}
          cy={paper.y(m, number(key))}
          r="1.5"
        />
      {/each}
    {/each}
  </svg>
</div>
