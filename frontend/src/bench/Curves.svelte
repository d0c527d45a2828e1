<script lang="ts">
  import type { CatalogueOut, Key } from "../lib/api-types";
  import type { Desk } from "../lib/desk.svelte";
  import { moves, moversOfMatte, moversOfPlane, named, type Mover } from "../lib/movers";
  import { isDriver, keysOf, SMOOTH, valueAt, withKey, type Handles } from "../lib/values";

  /** Everything that moves of what is selected, as curves over the frames; keys and handles can be dragged. */
  let { desk, catalogue }: { desk: Desk; catalogue: CatalogueOut } = $props();
  const shot = $derived(desk.shot);
  const first = $derived(shot.doc!.first_number);
  let box = $state<SVGSVGElement>();
  let size = $state.raw({ width: 500, height: 170 });
  /** The frames that are seen; null for all. */
  let seen = $state.raw<[number, number] | null>(null);
  let off = $state.raw<Set<string>>(new Set());
  let chosen = $state<string | null>(null);
  /** A value as it is dragged, until it is let go. */
  let moving = $state.raw<{ path: string; value: unknown } | null>(null);
  let drag: {
    path: string;
    frame: number;
    what: "key" | "out" | "in";
    low: number;
    high: number;
  } | null = null;

  const all = $derived(
    (desk.selected?.kind === "plane"
      ? moversOfPlane(shot.plane(desk.selected.id)!, desk.place!)
      : desk.selected
        ? moversOfMatte(shot.matte(desk.selected.id)!, desk.place!)
        : []
    ).filter((m) => moves(m.value) && !keysOf(m.value).some((k) => Array.isArray(k.value))),
  );
  const span = $derived(seen ?? ([0, Math.max(1, shot.count - 1)] as [number, number]));
  const strokes = ["", "7 3", "2 3", "9 3 2 3", "1 4", "12 4"];
  const pad = { left: 12, right: 12, top: 14, bottom: 20 };

  const x = (frame: number) =>
    pad.left + ((frame - span[0]) / (span[1] - span[0])) * (size.width - pad.left - pad.right);
  const frameOf = (px: number) =>
    span[0] + ((px - pad.left) / (size.width - pad.left - pad.right)) * (span[1] - span[0]);

  const shown = $derived(
    all
      .map((mover, i) => {
        const value = moving?.path === mover.path ? moving.value : mover.value;
        return { ...mover, value, ...named(mover, catalogue), dash: strokes[i % strokes.length] };
      })
      .map((m) => ({ ...m, ...rangeOf(m) })),
  );

  /** The least and the largest of a value over the shot, with a little room; while it is dragged they stay. */
  function rangeOf(m: Mover & { field: { low: number; high: number } | null }) {
    if (drag?.path === m.path) return { low: drag.low, high: drag.high };
    let [low, high] = [Infinity, -Infinity];
    for (let f = 0; f < shot.count; f++) {
      const v = plain(m, f);
      [low, high] = [Math.min(low, v), Math.max(high, v)];
    }
    for (const key of keysOf(m.value)) {
      low = Math.min(low, key.value as number);
      high = Math.max(high, key.value as number);
    }
    const room = high > low ? (high - low) * 0.08 : Math.max(0.5, Math.abs(high) * 0.1);
    return { low: low - room, high: high + room };
  }

  const plain = (m: { value: unknown; field: { low: number; high: number } | null }, f: number) =>
    valueAt(m.value, desk.at(f), m.field?.low, m.field?.high) as number;
  const y = (m: { low: number; high: number }, v: number) =>
    pad.top + ((m.high - v) / (m.high - m.low)) * (size.height - pad.top - pad.bottom);
  const valueOf = (m: { low: number; high: number }, py: number) =>
    m.high - ((py - pad.top) / (size.height - pad.top - pad.bottom)) * (m.high - m.low);

  function curve(m: (typeof shown)[number]): string {
    const steps = Math.max(2, Math.min(600, Math.round(size.width / 2)));
    const points = [];
    for (let i = 0; i <= steps; i++) {
      const f = span[0] + ((span[1] - span[0]) * i) / steps;
      points.push(`${x(f).toFixed(1)} ${y(m, plain(m, f)).toFixed(1)}`);
    }
    return `M${points.join("L")}`;
  }

  /** The two handles of a free ease, as points of the picture. */
  function handlesOf(m: (typeof shown)[number]) {
    const keys = keysOf(m.value);
    return keys.flatMap((key, i) => {
      const next = keys[i + 1];
      if (key.ease !== "free" || !next) return [];
      const [x1, y1, x2, y2] = key.handles ?? SMOOTH;
      const place = (hx: number, hy: number) => ({
        px: x(key.frame + (next.frame - key.frame) * hx),
        py: y(m, (key.value as number) + ((next.value as number) - (key.value as number)) * hy),
      });
      return [
        {
          key,
          what: "out" as const,
          ...place(x1, y1),
          at: [x(key.frame), y(m, key.value as number)],
        },
        {
          key,
          what: "in" as const,
          ...place(x2, y2),
          at: [x(next.frame), y(m, next.value as number)],
        },
      ];
    });
  }

  $effect(() => {
    if (!box) return;
    const watch = new ResizeObserver(
      () => (size = { width: box!.clientWidth, height: box!.clientHeight }),
    );
    watch.observe(box);
    return () => watch.disconnect();
  });

  function down(
    event: PointerEvent,
    m: (typeof shown)[number],
    frame: number,
    what: "key" | "out" | "in",
  ) {
    event.stopPropagation();
    chosen = m.path;
    drag = { path: m.path, frame, what, low: m.low, high: m.high };
    moving = { path: m.path, value: m.value };
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
  }

  let landed: number | null = null;

  function move(event: PointerEvent) {
    if (!drag) return;
    const m = all.find((one) => one.path === drag!.path);
    if (!m) return;
    const bounds = box!.getBoundingClientRect();
    const frame = frameOf(event.clientX - bounds.left);
    const value = valueOf(drag, event.clientY - bounds.top);
    const field = named(m, catalogue).field;
    const [low, high] = [field?.low ?? 0, field?.high ?? (m.about === "gate" ? 4000 : 1)];
    if (drag.what === "key") {
      const to = Math.max(0, Math.min(shot.count - 1, Math.round(frame)));
      const held = Math.round(Math.max(low, Math.min(high, value)) * 1e3) / 1e3;
      landed = to;
      moving = { path: m.path, value: withKey(m.value, drag.frame, { frame: to, value: held }) };
      return;
    }
    const keys = keysOf(m.value);
    const at = keys.findIndex((k) => k.frame === drag!.frame);
    const [key, next] = [keys[at], keys[at + 1]];
    const old = key.handles ?? SMOOTH;
    const hx = Math.max(0, Math.min(1, (frame - key.frame) / (next.frame - key.frame)));
    const rise = (next.value as number) - (key.value as number);
    const hy = rise ? Math.max(-3, Math.min(4, (value - (key.value as number)) / rise)) : 0;
    const r = (n: number) => Math.round(n * 1e3) / 1e3;
    const handles: Handles =
      drag.what === "out" ? [r(hx), r(hy), old[2], old[3]] : [old[0], old[1], r(hx), r(hy)];
    moving = { path: m.path, value: withKey(m.value, drag.frame, { handles }) };
  }

  function up() {
    const done = moving;
    const m = all.find((one) => one.path === done?.path);
    if (done && m && drag && JSON.stringify(done.value) !== JSON.stringify(m.value))
      shot.edit([{ op: "add", path: done.path, value: done.value }], "curve");
    else if (drag?.what === "key" && landed === null) desk.go(drag.frame);
    drag = moving = landed = null;
  }

  function nudged(event: KeyboardEvent, m: (typeof shown)[number], key: Key) {
    const step = (m.field?.step ?? 0.01) * (event.shiftKey ? 10 : 1);
    const [low, high] = [m.field?.low ?? 0, m.field?.high ?? 1];
    const changes: Record<string, Partial<Key>> = {
      ArrowLeft: { frame: Math.max(0, key.frame - 1) },
      ArrowRight: { frame: Math.min(shot.count - 1, key.frame + 1) },
      ArrowUp: { value: Math.min(high, (key.value as number) + step) },
      ArrowDown: { value: Math.max(low, (key.value as number) - step) },
    };
    let value: unknown;
    if (changes[event.key]) value = withKey(m.value, key.frame, changes[event.key]);
    else if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      event.stopPropagation();
      void shot.deed("remove", [m.path], { first: key.frame, last: key.frame });
      return;
    } else return;
    event.preventDefault();
    event.stopPropagation();
    shot.edit([{ op: "add", path: m.path, value }], "curve");
  }

  function wheel(event: WheelEvent) {
    event.preventDefault();
    const at = frameOf(event.clientX - box!.getBoundingClientRect().left);
    const factor = event.deltaY < 0 ? 0.8 : 1.25;
    const [a, b] = [at - (at - span[0]) * factor, at + (span[1] - at) * factor];
    const most = Math.max(1, shot.count - 1);
    if (b - a >= most) seen = null;
    else if (b - a > 4) seen = [Math.max(0, a), Math.min(most, b)];
  }

  function press(event: PointerEvent) {
    desk.go(Math.round(frameOf(event.clientX - box!.getBoundingClientRect().left)));
  }

  const labels = $derived.by(() => {
    const step = [1, 2, 4, 8, 12, 24, 48, 96, 240, 480].find((n) => x(n) - x(0) >= 46) ?? 960;
    const out = [];
    for (let f = Math.ceil(span[0] / step) * step; f <= span[1]; f += step) out.push(f);
    return out;
  });
</script>

<div class="curves">
  <ul aria-label="Values that move">
    {#each shown as m (m.path)}
      <li>
        <label class:chosen={chosen === m.path}>
          <input
            type="checkbox"
            checked={!off.has(m.path)}
            onchange={(e) => {
              const next = new Set(off);
              if (e.currentTarget.checked) next.delete(m.path);
              else next.add(m.path);
              off = next;
            }}
          />
          <svg width="26" height="8" aria-hidden="true"
            ><path
              d="M1 4H25"
              stroke="currentColor"
              stroke-width="1.6"
              stroke-dasharray={m.dash}
            /></svg
          >
          <span>{m.label}</span>
          <b>{Math.round(plain(m, desk.frame) * 100) / 100}</b>
        </label>
      </li>
    {:else}
      <li class="none">
        Nothing moves yet. Set a keyframe with the ring beside a value (K), or let it arrive.
      </li>
    {/each}
  </ul>
  <svg
    class="paper"
    bind:this={box}
    role="group"
    aria-label="Curves"
    onwheel={wheel}
    onpointerdown={press}
    data-frames={`${span[0]}-${span[1]}`}
  >
    {#each labels as f (f)}
      <path d={`M${x(f)} 6V${size.height - pad.bottom + 3}`} class="rule" />
      <text x={x(f)} y={size.height - 5}>{first + f}</text>
    {/each}
    <path d={`M${x(desk.frame)} 0V${size.height - pad.bottom + 6}`} class="now" />
    {#each shown.filter((m) => !off.has(m.path)) as m (m.path)}
      <path
        d={curve(m)}
        class="curve"
        class:chosen={chosen === m.path}
        class:driven={isDriver(m.value)}
        stroke-dasharray={m.dash}
      />
      {#each handlesOf(m) as h (`${h.key.frame}${h.what}`)}
        <path d={`M${h.at[0]} ${h.at[1]}L${h.px} ${h.py}`} class="arm" />
        <rect
          class="handle"
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
      {#each keysOf(m.value).filter((k) => k.frame >= span[0] && k.frame <= span[1]) as key (key.frame)}
        <circle
          class="key"
          cx={x(key.frame)}
          cy={y(m, key.value as number)}
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
        <circle class="dot" cx={x(key.frame)} cy={y(m, key.value as number)} r="1.5" />
      {/each}
    {/each}
  </svg>
</div>

<style>
  .curves {
    display: grid;
    grid-template-columns: 218px minmax(0, 1fr);
    min-height: 0;
  }
  ul {
    list-style: none;
    margin: 0;
    padding: 6px 8px;
    overflow-y: auto;
    border-right: 1px solid var(--rule);
    font-size: 12px;
  }
  label {
    display: flex;
    align-items: center;
    gap: 6px;
    min-height: 24px;
    border-radius: 3px;
    padding: 0 4px;
  }
  label.chosen {
    box-shadow: inset 0 0 0 1.5px var(--ink);
  }
  label span {
    flex: 1;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  label svg {
    flex: none;
  }
  b {
    font-family: var(--font-mono);
    font-weight: 500;
    font-size: 11.5px;
  }
  .none {
    color: var(--quiet);
    padding: 6px;
  }
  .paper {
    width: 100%;
    height: 100%;
    min-height: 0;
    background: var(--sheet);
    touch-action: none;
  }
  path {
    fill: none;
  }
  .rule {
    stroke: var(--faint);
  }
  .now {
    stroke: var(--ink);
    stroke-width: 1.4;
  }
  text {
    font: 500 10.5px var(--font-mono);
    fill: var(--quiet);
    text-anchor: middle;
  }
  .curve {
    stroke: var(--quiet);
    stroke-width: 1.5;
  }
  .curve.driven {
    stroke: var(--blue);
  }
  .curve.chosen {
    stroke: var(--ink);
    stroke-width: 2.2;
  }
  .arm {
    stroke: var(--quiet);
    stroke-width: 1;
  }
  .handle {
    fill: var(--card);
    stroke: var(--ink);
    cursor: grab;
  }
  .key {
    fill: var(--card);
    stroke: var(--ink);
    stroke-width: 1.5;
    cursor: grab;
  }
  .dot {
    fill: var(--ink);
    pointer-events: none;
  }
</style>
