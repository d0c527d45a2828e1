/** What the hand does on the sheet: going through time, a loop, the range, and keyframes. */
import type { Desk } from "../desk/desk.svelte";
import type { Cut } from "../lib/api-types";
import { cutOps, moved } from "../sound/cuts";
import { MARKER, type Column } from "./draw";
import type { Rows } from "./rows";

type Laid = {
  canvas: HTMLCanvasElement;
  /** Where the rows lie, and how far they are scrolled. */
  rows: Rows;
  scroll: number;
  /** Lets what is outside the range have rows, with a frame where it is (in the hand, if it is held); folds it again. */
  unfold: (kept: number, held: boolean) => void;
  fold: () => void;
  columns: Column[];
  /** Frames with keyframes, and whether the value holds from there. */
  keyed: Map<number, boolean>;
};
type Landing = { set: [number, number]; to: [number, number] };
type Dragged =
  | "none"
  | "time"
  | "loop"
  | "ring"
  | "span"
  | "stretch"
  | "first"
  | "last"
  | "cut"
  | "begins"
  | "ends";

/** The first and the last frame on which the chosen take is seen. */
export function joinOf(desk: Desk): [number, number] | null {
  const { take } = desk.selection;
  return take ? [take.first ?? 0, take.last ?? desk.shot.count - 1] : null;
}

export class SheetHand {
  /** Where dragged keys would land: the set, and its frames from there. */
  landing = $state.raw<Landing | null>(null);
  /** The cuts as they would be, while one of them is dragged. */
  cutting = $state.raw<{ cuts: Cut[]; place: number; to: Cut } | null>(null);
  private dragging: Dragged = "none";
  private from = 0;
  private hold = "";
  /** Whether what was unfolded for a drag is folded after it. */
  private refolds = false;

  constructor(
    private desk: Desk,
    private laid: () => Laid,
  ) {}

  private y(event: PointerEvent): number {
    const { canvas, scroll } = this.laid();
    return event.clientY - canvas.getBoundingClientRect().top + scroll;
  }

  private x(event: PointerEvent): number {
    return event.clientX - this.laid().canvas.getBoundingClientRect().left;
  }

  private frameAt(event: PointerEvent): number {
    return this.laid().rows.frame(this.y(event));
  }

  /** The key under the pointer, a few pixels about its ring counting. */
  private ringAt(event: PointerEvent): number | null {
    const y = this.y(event);
    const { rows, keyed } = this.laid();
    const near = [...keyed.keys()]
      .map((frame) => ({ frame, far: Math.abs(rows.y(frame) + rows.row / 2 - y) }))
      .sort((a, b) => a.far - b.far)[0];
    return near && near.far <= Math.max(6, rows.row / 2) ? near.frame : null;
  }

  /** Takes a ring, or begins a set; false where the press is for time. */
  private takesKeys(event: PointerEvent): boolean {
    const { columns, keyed } = this.laid();
    const column = columns.find((one) => one.kind === "keys")!;
    const x = this.x(event);
    if (x < column.x || x > column.x + column.width || !keyed.size) return false;
    const ring = this.ringAt(event);
    if (event.shiftKey) {
      this.dragging = "span";
      this.desk.span = [this.from, this.from];
      return true;
    }
    if (ring === null) return false;
    this.from = ring;
    const span = this.desk.span;
    const set: [number, number] = span && ring >= span[0] && ring <= span[1] ? span : [ring, ring];
    // the last key of a set pulls it longer or shorter
    const lastKey = Math.max(...[...keyed.keys()].filter((f) => f <= set[1]));
    const firstKey = Math.min(...[...keyed.keys()].filter((f) => f >= set[0]));
    const stretches = set[0] < set[1] && ring === lastKey && firstKey < lastKey;
    this.dragging = stretches ? "stretch" : "ring";
    const whole: [number, number] = stretches ? [firstKey, lastKey] : set;
    this.landing = { set: whole, to: whole };
    return true;
  }

  private dragKeys(at: number): void {
    if (this.dragging === "span")
      this.desk.span = [Math.min(this.from, at), Math.max(this.from, at)];
    if (!this.landing) return;
    const { set } = this.landing;
    const by = Math.max(at - this.from, -set[0]);
    const to: [number, number] =
      this.dragging === "stretch" ? [set[0], Math.max(set[0] + 1, at)] : [set[0] + by, set[1] + by];
    this.landing = { set, to };
  }

  private dropKeys(copies: boolean): void {
    const { desk, landing: done } = this;
    this.landing = null;
    if (this.dragging === "span" && desk.span && desk.span[0] === desk.span[1]) desk.span = null;
    const place = desk.selection.place;
    if (!done || !place || (done.to[0] === done.set[0] && done.to[1] === done.set[1])) return;
    const kind = this.dragging === "stretch" ? "stretch" : copies ? "copy" : "shift";
    const [first, last] = done.set;
    const [to_first, to_last] = done.to;
    void desk.shot.deed(kind, [place], { first, last, to_first, to_last });
    desk.span = done.set[0] === done.set[1] ? null : done.to;
  }

  /** Which end of the chosen take is under the pointer, if one is. */
  private takeAt(event: PointerEvent): "begins" | "ends" | null {
    const join = joinOf(this.desk);
    const { canvas } = this.laid();
    if (!join || this.x(event) < canvas.clientWidth - MARKER.width) return null;
    const end = this.endAt(event, join);
    return end && (end === "first" ? "begins" : "ends");
  }

  /** Which marker of the range is under the pointer, if one is. */
  private markerAt(event: PointerEvent): "first" | "last" | null {
    return this.x(event) > MARKER.width ? null : this.endAt(event, this.desk.shot.range);
  }

  /** Which end of some frames the pointer is at. */
  private endAt(event: PointerEvent, range: [number, number]): "first" | "last" | null {
    const { rows } = this.laid();
    const y = this.y(event);
    const [first, last] = [rows.y(range[0]), rows.y(range[1] + 1)];
    if (y >= first - 2 && y <= first + MARKER.reach) return "first";
    return y <= last + 2 && y >= last - MARKER.reach ? "last" : null;
  }

  /** Takes the mark of a cut in the film's column; false where there is none. */
  private takesCut(event: PointerEvent): boolean {
    const { columns, rows } = this.laid();
    const film = columns.find((one) => one.kind === "film")!;
    const x = this.x(event);
    const cuts = this.desk.shot.doc.cuts ?? [];
    const place = cuts.findIndex((cut) => Math.abs(rows.y(cut.frame) - this.y(event)) <= 5);
    if (place < 0 || x < film.x || x > film.x + film.width) return false;
    this.dragging = "cut";
    this.from = cuts[place].frame;
    this.cutting = { cuts, place, to: cuts[place] };
    return true;
  }

  private dragCut(at: number): void {
    const { shot } = this.desk;
    const cuts = shot.doc.cuts ?? [];
    const { place } = this.cutting!;
    const to = moved(cuts[place], at, shot.count);
    this.cutting = { cuts: cuts.map((cut, n) => (n === place ? to : cut)), place, to };
  }

  private dropCut(): void {
    const { shot, playback } = this.desk;
    const { place, to } = this.cutting!;
    this.cutting = null;
    const cuts = shot.doc.cuts ?? [];
    if (cuts[place].frame !== to.frame) shot.edit(cutOps(cuts, place, to), "move a cut");
    playback.go(to.frame);
  }

  private get onKeys(): boolean {
    return ["ring", "span", "stretch"].includes(this.dragging);
  }

  down(event: PointerEvent): void {
    if (event.button !== 0) return;
    const { canvas, columns } = this.laid();
    const { playback } = this.desk;
    canvas.setPointerCapture(event.pointerId);
    this.from = this.frameAt(event);
    playback.stop();
    const end = this.takeAt(event);
    if (end) {
      this.dragging = end;
      this.hold = `join-${Date.now()}`;
      return;
    }
    const marker = this.markerAt(event);
    if (marker) {
      this.dragging = marker;
      this.hold = `range-${Date.now()}`;
      this.refolds = this.laid().rows.folded;
      // what it is dragged over must be there
      const [first, last] = this.desk.shot.range;
      if (this.refolds) this.laid().unfold(marker === "first" ? first : last + 1, true);
      return;
    }
    if (this.laid().rows.folded && this.laid().rows.inStripe(this.y(event))) {
      this.laid().unfold(this.from, false);
      return;
    }
    if (this.takesKeys(event) || this.takesCut(event)) return;
    this.desk.span = null;
    this.dragging = this.x(event) < columns[0].width ? "loop" : "time";
    playback.go(this.from);
  }

  move(event: PointerEvent): void {
    if (this.dragging === "none") return;
    const { playback, shot } = this.desk;
    const at = this.frameAt(event);
    const [first, last] = shot.range;
    if (this.onKeys) this.dragKeys(at);
    else if (this.dragging === "cut") this.dragCut(Math.round(this.laid().rows.at(this.y(event))));
    else if (this.dragging === "first") playback.setRange(Math.min(at, last), last, this.hold);
    else if (this.dragging === "last") playback.setRange(first, Math.max(at, first), this.hold);
    else if (this.dragging === "begins" || this.dragging === "ends") this.dragTake(at);
    else if (this.dragging === "time") playback.go(at);
    else if (at !== this.from) playback.loop = [Math.min(this.from, at), Math.max(this.from, at)];
  }

  /** The chosen take begins or ends on another frame; its own frames stay where they are in time. */
  private dragTake(at: number): void {
    const { shot, selection, playback } = this.desk;
    const join = joinOf(this.desk);
    if (!join || !selection.take) return;
    const first = this.dragging === "begins";
    const value = Math.max(first ? 0 : join[0], Math.min(first ? join[1] : shot.count - 1, at));
    const path = `${shot.planePath(selection.take.id)}/${first ? "first" : "last"}`;
    shot.edit(
      [{ op: "replace", path, value }],
      first ? "move the join" : "end the take",
      this.hold,
    );
    playback.go(value);
  }

  up(event: PointerEvent): void {
    const { playback } = this.desk;
    if (this.onKeys) {
      // a ring that is only pressed is gone to
      if (this.landing && this.frameAt(event) === this.from) playback.go(this.from);
      this.dropKeys(event.altKey);
    }
    if (this.dragging === "cut") this.dropCut();
    // a click on a number without dragging ends the loop
    if (this.dragging === "loop" && this.frameAt(event) === this.from) playback.loop = null;
    if (this.refolds && (this.dragging === "first" || this.dragging === "last")) this.laid().fold();
    this.refolds = false;
    this.dragging = "none";
  }
}
