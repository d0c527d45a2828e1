/** What the person is looking at and working with; none of it is part of the document. */
import { SvelteMap } from "svelte/reactivity";
import type { Clip, FieldOut, FootageOut, Plane, Pull, Shape, VersionOut } from "./api-types";
import { Checks } from "./checks.svelte";
import { Costs } from "./costs.svelte";
import { Pictures } from "./pictures.svelte";
import type { Way } from "./shapes";
import { ShotStore } from "./shot.svelte";
import type { Env, Xy } from "./values";

export type Mode = "result" | "veil" | "matte" | "cutout" | "unroll" | "onion" | "change";
export type Drawn = "ellipse" | "box" | "polygon" | "curve";
export type Tool =
  | "in"
  | "out"
  | "lasso"
  | "near"
  | "drag"
  | "erase"
  | "hand"
  | "sample"
  | "arrow"
  | "place"
  | Drawn;
/** A name of a ground, or a colour as #rrggbb. */
export type Ground = string;
export type Selection = { kind: "matte" | "plane"; id: string };
export const BRUSH = [1, 200]; // the least and the most radius
export type Slide = "none" | "footage" | "exports" | "versions";
/** A value that can be taken hold of on the picture: a point, or an angle in degrees. */
export type Handle = {
  name: string;
  field: FieldOut;
  value: Xy | number;
  set: (value: Xy | number, gesture?: string | null) => void;
};

const DEFAULT_BENCH = 252;
/** Widths of pictures while playing what is not here yet: the first that keeps up is stayed with. */
const PREVIEWS = [Infinity, 480, 320];
/** Milliseconds of waiting for pictures until a smaller preview is taken. */
const PATIENCE = 600;

export class Desk {
  frame = $state(0);
  playing = $state(false);
  loop = $state.raw<[number, number] | null>(null);
  mode = $state<Mode>("result");
  ground = $state<Ground>("checks");
  tool = $state<Tool>("in");
  /** The brush's radius in plate pixels; `sizeBrush` sets it. */
  brush = $state(6);
  /** The colour key that the next drag over the picture sets. */
  sampling = $state<string | null>(null);
  full = $state(false);
  /** The pull of the matte that the tools are for, where one was chosen. */
  pullId = $state<string | null>(null);
  shapeId = $state<string | null>(null);
  /** The point of the chosen shape that was touched last. */
  pointAt = $state<number | null>(null);
  /** Whether a change of a shape sets a key on this frame, one for the changed points alone, or changes all keys. */
  shapeWay = $state<Way>("frame");
  /** Keys of a shape that were copied. */
  copied = $state.raw<Shape["keys"] | null>(null);
  /** How far into the recipe the views look: after so many pulls; null for all of it. */
  upTo = $state<number | null>(null);
  /** While P is held: the untreated plate. */
  plain = $state(false);
  /** What the right part of the picture shows, where it is split, and where the line lies, 0 to 1. */
  split = $state.raw<{ mode: Mode; matte: string | null; version?: VersionOut | null } | null>(
    null,
  );
  splitAt = $state(0.5);
  /** While B is held: the matte before its edge step. */
  bare = $state(false);
  selected = $state.raw<Selection | null>(null);
  slide = $state<Slide>("none");
  keysOpen = $state(false);
  /** The control under the pointer that K keys. */
  hovered: (() => void) | null = null;
  /** Values of the open cards that have a place on the picture, by where they lie in the document. */
  handles = new SvelteMap<string, Handle>();
  /** What the shelf shows in the large picture while the pointer is on it: a view, in place of the chosen one. */
  trying = $state<string | null>(null);
  /** Whether the shelf lies over the bench. */
  shelf = $state(false);
  /** Pixels; remembered by this browser. */
  benchHeight = $state(DEFAULT_BENCH);
  /** The cards of each selection that were opened, the last one last. */
  opened = new SvelteMap<string, string[]>();
  pictures: Pictures;
  beside: Pictures;
  checks: Checks;
  costs: Costs;
  /** Which of the previews playing shows. */
  private preview = $state(0);
  private timer = 0;
  private clock = 0;

  /** Keyframes that were copied from values of a plane or a matte. */
  clips = $state.raw<Clip[]>([]);
  /** Whether the bench shows curves in place of cards. */
  curves = $state(false);
  /** The frames whose keys are chosen on the sheet, first and last. */
  span = $state.raw<[number, number] | null>(null);
  /** What is asked before something arrives or leaves: places in the document, what it is called, which way. */
  arriving = $state.raw<{ places: string[]; title: string; way: "arrive" | "leave" } | null>(null);

  constructor(readonly shot: ShotStore) {
    this.pictures = new Pictures(shot.id);
    this.beside = new Pictures(shot.id);
    this.checks = new Checks(shot);
    this.costs = new Costs(shot);
    this.benchHeight = Number(localStorage.getItem("bench")) || DEFAULT_BENCH;
    const doc = shot.doc!;
    if (doc.mattes.length) this.selected = { kind: "matte", id: doc.mattes[0].id };
    else if (doc.planes.length) this.selected = { kind: "plane", id: doc.planes[0].id };
    // a shot on which nothing was marked yet is there to be marked
    if (this.trace && !this.trace.marks.length) this.mode = "veil";
  }

  /** Sets the bench's height and remembers it; null is the default. */
  sizeBench(height: number | null): void {
    this.benchHeight = Math.round(Math.max(160, Math.min(560, height ?? DEFAULT_BENCH)));
    localStorage.setItem("bench", String(this.benchHeight));
  }

  get fps(): number {
    return this.shot.doc!.format.fps ?? this.shot.about!.plate.fps;
  }

  /** Where values are read now. */
  get env(): Env {
    return this.at(this.frame);
  }

  /** Where values are read on a frame. */
  at(time: number): Env {
    return { time, fps: this.fps, tracks: this.shot.doc!.tracks };
  }

  /** The ids of the mattes and planes that the selected one rests on, or that rest on it. */
  get uses(): Set<string> {
    const here = this.selected && `${this.selected.kind}:${this.selected.id}`;
    const ids = this.shot.uses.flatMap(({ owner, thing }) =>
      owner === here ? [thing] : thing === here ? [owner] : [],
    );
    return new Set(ids.map((one) => one.slice(one.indexOf(":") + 1)));
  }

  /** Where what is selected lies in the document: whose keys the sheet and the curves show. */
  get place(): string | null {
    const s = this.selected;
    if (!s) return null;
    const known = s.kind === "plane" ? this.shot.plane(s.id) : this.shot.matte(s.id);
    if (!known) return null;
    return s.kind === "plane" ? this.shot.planePath(s.id) : this.shot.mattePath(s.id);
  }

  /** The plane that could be placed on the picture now. */
  get placeable(): Plane | undefined {
    if (this.selected?.kind !== "plane" || this.mode !== "result" || this.split) return undefined;
    const plane = this.shot.plane(this.selected.id);
    return plane && plane.kind !== "glaze" ? plane : undefined;
  }

  /** The plane that a drag over the picture places: one that has been placed, an element, or with the tool at hand. */
  get placing(): Plane | undefined {
    const plane = this.placeable;
    if (!plane || this.tool === "place") return plane;
    const placed = plane.kind === "element" || Object.keys(plane.placement).length > 0;
    return placed && this.tool !== "hand" ? plane : undefined;
  }

  /** The matte that the views show: the selected one, or the one that the selected plane uses. */
  get matteId(): string | null {
    const doc = this.shot.doc!;
    if (this.selected?.kind === "matte" && this.shot.matte(this.selected.id))
      return this.selected.id;
    const plane = this.selected?.kind === "plane" ? this.shot.plane(this.selected.id) : undefined;
    return plane?.matte ?? plane?.gate?.matte ?? doc.mattes[0]?.id ?? null;
  }

  get trace(): Pull | undefined {
    return this.shot.trace(this.shot.matte(this.matteId));
  }

  /** The pull that the tools are for: the chosen one, or else the trace, or else the first. */
  get pull(): Pull | undefined {
    if (this.selected?.kind !== "matte") return undefined;
    const pulls = this.shot.matte(this.selected.id)?.pulls ?? [];
    return pulls.find((p) => p.id === this.pullId) ?? this.trace ?? pulls[0];
  }

  /** Whether marks can be drawn now; the unrolled strip is no picture to draw on. */
  get marking(): boolean {
    return this.shot.holds(this.pull) === "marks" && this.mode !== "unroll";
  }

  /** Why following halted on this frame, where it did. */
  get halt() {
    const here = this.shot.frame(this.trace?.id, this.frame);
    return this.marking && here?.origin === "followed" ? here.halt : null;
  }

  /** The pull whose shapes can be drawn and changed now. */
  get shaping(): Pull | undefined {
    return this.shot.holds(this.pull) === "shapes" && this.mode !== "unroll"
      ? this.pull
      : undefined;
  }

  choosePull(id: string): void {
    if (this.pull?.id === id) return;
    this.pullId = id;
    this.shapeId = this.pointAt = null;
    const holds = this.shot.holds(this.pull);
    if (holds === "shapes") this.tool = "arrow";
    else if (holds === "marks" && !TRACE_TOOLS.includes(this.tool)) this.tool = "in";
    else if (holds !== "marks" && this.tool !== "sample") this.tool = "hand";
  }

  /** Where a pull of the selected matte lies in the document. */
  pullPath(id: string): string {
    const matte = this.shot.matte(this.matteId)!;
    return `${this.shot.mattePath(matte.id)}/pulls/${matte.pulls.findIndex((p) => p.id === id)}`;
  }

  /** Stores a shape of the pull at hand: in place of the one with its id, or as a new one. */
  putShape(shape: Shape, label: string, gesture: string | null = null): void {
    const pull = this.shaping;
    if (!pull) return;
    const index = pull.shapes.findIndex((s) => s.id === shape.id);
    const path = `${this.pullPath(pull.id)}/shapes/${index < 0 ? "-" : index}`;
    const op = index < 0 ? "add" : "replace";
    this.shot.edit([{ op, path, value: shape }], label, gesture);
  }

  removeShape(id: string): void {
    const pull = this.shaping;
    const index = pull?.shapes.findIndex((s) => s.id === id) ?? -1;
    if (!pull || index < 0) return;
    const path = `${this.pullPath(pull.id)}/shapes/${index}`;
    this.shot.edit([{ op: "remove", path }], "remove shape");
    this.shapeId = this.pointAt = null;
  }

  /** Names footage of the project in a field of the document, which knows it from then on. */
  useFootage(footage: FootageOut, path: string, label: string): void {
    const id = String(footage.id);
    const { name, hash, width, height, frames, fps } = footage;
    const known = this.shot.doc!.footage.some((f) => f.id === id);
    const entry = {
      op: "add",
      path: "/footage/-",
      value: { id, name, hash, width, height, frames, fps },
    };
    this.shot.edit([...(known ? [] : [entry]), { op: "add", path, value: id }], label);
  }

  private viewOf(mode: Mode, matte: string | null): string {
    if (mode === "result") return "result";
    if (!matte || !this.shot.onServer(matte)) return "plate";
    const view = mode === "cutout" ? `cutout:${matte}:${this.ground}` : `${mode}:${matte}`;
    if (this.bare) return `bare-${view}`;
    return this.upTo && matte === this.matteId ? `first-${this.upTo}-${view}` : view;
  }

  get view(): string {
    if (this.trying) return this.trying;
    return this.plain ? "plate" : this.viewOf(this.mode, this.matteId);
  }

  /** The view on the right of the line, where the picture is split. */
  get besideView(): string | null {
    if (this.split?.version) return "result";
    return this.split && this.viewOf(this.split.mode, this.split.matte ?? this.matteId);
  }

  /** Sets the brush's radius, held to what a brush can be. */
  sizeBrush(radius: number): void {
    this.brush = Math.max(BRUSH[0], Math.min(BRUSH[1], radius));
  }

  get width(): number {
    const plate = this.shot.about!.plate.width;
    const still = this.full ? plate : Math.min(960, plate);
    return this.playing ? Math.min(still, PREVIEWS[this.preview]) : still;
  }

  get first(): number {
    return this.loop?.[0] ?? this.shot.range[0];
  }

  get last(): number {
    return this.loop?.[1] ?? this.shot.range[1];
  }

  /** Sets the range's first or last frame, in plate frames from 0; the loop ends. */
  setRange(first: number, last: number, gesture: string | null = null): void {
    const [from, to] = [Math.max(0, first), Math.min(this.shot.count - 1, last)];
    if (from > to) return;
    const value = { first: from || null, last: to === this.shot.count - 1 ? null : to };
    this.shot.edit([{ op: "replace", path: "/range", value }], "range", gesture);
  }

  toggleSlide(slide: Slide): void {
    this.slide = this.slide === slide ? "none" : slide;
  }

  go(frame: number): void {
    const to = Math.max(0, Math.min(this.shot.count - 1, Math.round(frame)));
    if (to === this.frame) return;
    this.frame = to;
    void this.pictures.show(to).then(() => this.prefetch(4));
    if (this.split) void this.beside.show(to);
  }

  private prefetch(reach: number): void {
    const span = this.last - this.first + 1;
    const frames = [];
    for (let i = 1; i <= reach; i++) {
      const next = this.frame + i;
      frames.push(
        this.playing && next > this.last ? this.first + ((next - this.first) % span) : next,
      );
    }
    this.pictures.ahead(frames.filter((f) => f >= 0 && f < this.shot.count));
  }

  /** Splits the picture: this view on the left, another one on the right; or takes the split away. */
  toggleSplit(): void {
    this.split = this.split
      ? null
      : { mode: this.mode === "result" ? "veil" : "result", matte: null };
  }

  toggle(): void {
    if (this.playing) this.stop();
    else this.play();
  }

  play(): void {
    if (this.pictures.count(this.first, this.last) === this.last - this.first + 1) this.preview = 0;
    this.playing = true;
    if (this.frame < this.first || this.frame >= this.last) this.go(this.first);
    const period = 1000 / this.fps;
    this.clock = performance.now();
    let waited = 0;
    let last = this.clock;
    const tick = (now: number) => {
      if (!this.playing) return;
      this.prefetch(Math.min(this.last - this.first, this.pictures.room));
      if (now - this.clock >= period - 2) {
        const next = this.frame >= this.last ? this.first : this.frame + 1;
        if (this.pictures.has(next)) {
          // the clock runs on evenly; a frame that is late does not make the next one early
          this.clock = Math.max(this.clock + period, now - period);
          this.frame = next;
          void this.pictures.show(next);
          if (this.split) void this.beside.show(next);
        } else if (now - this.clock > period && !this.full) {
          // it does not keep up: smaller pictures do, and from the second time round all of them are here
          waited += Math.min(now - last, 100);
          if (waited > PATIENCE && this.preview < PREVIEWS.length - 1) {
            this.preview++;
            waited = 0;
          }
        }
      }
      last = now;
      this.timer = requestAnimationFrame(tick);
    };
    this.timer = requestAnimationFrame(tick);
  }

  stop(): void {
    this.playing = false;
    cancelAnimationFrame(this.timer);
  }

  /** The next or previous frame that is in doubt, touched, or that a check points out; wraps around. */
  problem(step: 1 | -1): void {
    const stored = [...(this.shot.frames.get(this.trace?.id ?? "")?.values() ?? [])]
      .filter((f) => f.origin === "touched" || f.doubt > DOUBTFUL)
      .map((f) => f.frame);
    const checked = [...this.checks.found.values()]
      .filter((c) => c.problems.length)
      .map((c) => c.frame);
    const rows = [...new Set([...stored, ...checked])].sort((a, b) => a - b);
    if (!rows.length) return;
    const next =
      step > 0
        ? (rows.find((f) => f > this.frame) ?? rows[0])
        : (rows.findLast((f) => f < this.frame) ?? rows.at(-1)!);
    this.go(next);
  }
}

const TRACE_TOOLS: Tool[] = ["in", "out", "lasso", "near", "drag", "erase", "hand"];
export const DOUBTFUL = 0.5;
