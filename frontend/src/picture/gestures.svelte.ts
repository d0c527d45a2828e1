/** What a hand does on the picture, by the tool that it holds: marks, shapes, a sampled box, moving the picture. */
import { Fingers } from "../lib/fingers";
import { api } from "../lib/api";
import { notes } from "../lib/notes.svelte";
import { standAt } from "../desk/cards";
import { middleOf } from "../lib/tracks";
import type { Desk } from "../desk/desk.svelte";
import type { Drawn } from "../desk/tools.svelte";
import { addShape, draw, erase, sample } from "./edits";
import { thinned } from "./strokes";
import type { Framing } from "./framing.svelte";
import type { Point, Stroke } from "./strokes";

const DRAWN: Drawn[] = ["ellipse", "box", "polygon", "curve", "line"];
/** How many points a shape has at the least. */
export const fewest = (kind: Drawn) => (kind === "line" ? 2 : 3);
const byCorners = (kind: Drawn) => kind === "ellipse" || kind === "box";

export class Gestures {
  drawing = $state.raw<Stroke | null>(null);
  pointer = $state.raw<Point | null>(null);
  /** The box that is dragged with the sampler, by two corners in plate pixels. */
  sampled = $state.raw<[Point, Point] | null>(null);
  /** A shape under way: an ellipse or box by two corners, or the points so far. */
  shaping = $state.raw<{ kind: Drawn; points: Point[] } | null>(null);
  /** What is brushed for a track, and the corners of a patch so far. */
  brushed = $state.raw<Point[]>([]);
  corners = $state.raw<Point[]>([]);
  /** Where the first corner of a patch is held: dragged on from there, it is a box. */
  private boxed: Point | null = null;
  private panning: { x: number; y: number; centre: Point } | null = null;
  private warmed = -1;
  private fingers = new Fingers();

  constructor(
    private desk: Desk,
    private framing: Framing,
  ) {}

  /** The kind of shape that a drag would draw. */
  get shape(): Drawn | undefined {
    const { tools } = this.desk;
    return tools.shaping && DRAWN.find((kind) => kind === tools.tool);
  }

  /** Whether a drag leaves something behind. */
  get draws(): boolean {
    const { tools } = this.desk;
    const tracks = tools.newTrack ?? tools.sparing;
    return (
      tools.tool === "sample" ||
      tools.tool === "stand" ||
      !!this.shape ||
      !!tracks ||
      (tools.marking && tools.tool !== "hand")
    );
  }

  /** Where the brush is shown. */
  get brushAt(): Point | null {
    const { tools } = this.desk;
    const brushes =
      !!tools.sparing ||
      (tools.marking && !tools.newTrack && !["hand", "sample"].includes(tools.tool));
    return brushes && (!this.drawing || this.drawing.kind === "drag") ? this.pointer : null;
  }

  down(event: PointerEvent): void {
    const { tools, playback, selection, view } = this.desk;
    const box = event.currentTarget as HTMLElement;
    const take = () => box.setPointerCapture(event.pointerId);
    box.focus({ preventScroll: true });
    if (this.fingers.add(event)) {
      // what the first finger began was no mark
      this.cancel();
      take();
      return;
    }
    const at = this.framing.at(event);
    if (tools.tool === "sample" && event.button === 0) {
      take();
      this.sampled = [at, at];
      return;
    }
    if (tools.tool === "stand" && event.button === 0) return void standAt(this.desk, at);
    if (event.button === 0 && (tools.newTrack || tools.sparing)) {
      playback.stop();
      take();
      return this.tracks(at);
    }
    if (this.shape && event.button === 0) {
      playback.stop();
      if (byCorners(this.shape)) take();
      return this.addPoint(this.shape, at);
    }
    if (event.button === 0 && tools.shaping && tools.tool === "arrow") selection.shapeId = null;
    const moves = event.button === 0 && (tools.tool === "hand" || !tools.marking);
    if (event.button === 1 || moves) {
      take();
      const centre: Point = this.framing.zoom ? this.framing.centre : [0.5, 0.5];
      this.panning = { x: event.clientX, y: event.clientY, centre };
      event.preventDefault();
      return;
    }
    if (event.button !== 0) return;
    take();
    playback.stop();
    if (view.mode === "result") view.mode = "veil";
    if (tools.tool === "erase") return erase(this.desk, at, 5 / this.framing.scale);
    this.begin(at, event.altKey);
  }

  /** Marks a new track, or begins to brush over what is looked at of one. */
  private tracks(at: Point): void {
    const { tools, playback } = this.desk;
    if (tools.newTrack === "point") return tools.addTrack("point", playback.seen, [at]);
    if (tools.newTrack !== "patch") {
      this.brushed = [at];
      return;
    }
    this.boxed = this.corners.length ? null : at;
    this.corners = [...this.corners, at];
    if (this.corners.length === 4) this.endCornersOfPatch();
  }

  private endCornersOfPatch(): void {
    const { tools, playback } = this.desk;
    tools.addTrack("patch", playback.seen, inTurn(this.corners));
    this.corners = [];
  }

  private endTracks(): void {
    const { tools, playback, motions } = this.desk;
    const { brushed } = this;
    this.brushed = [];
    if (tools.newTrack === "region") {
      const line = thinned(brushed, 4 / this.framing.scale);
      // a press without a drag is a slip of the hand
      if (line.length >= 3) tools.addTrack("region", playback.seen, line);
      return;
    }
    const track = tools.sparing;
    if (!track) return;
    const side = tools.tool === "spare" ? "less" : "more";
    const path = motions.paths.get(track.id);
    tools.spot(track, side, thinned(brushed, tools.brush), tools.brush, path, playback.seen);
  }

  /** Begins a mark; Alt swaps in and out. */
  private begin(at: Point, swapped: boolean): void {
    const { tools, shot, selection, playback } = this.desk;
    const plain = (tools.tool === "out") === swapped ? "in" : "out";
    const kind = tools.tool === "near" || tools.tool === "drag" ? tools.tool : plain;
    if (kind === "drag" && !shot.frame(selection.trace?.id, playback.seen)?.blob) {
      notes.add("There is no outline on this frame yet.", "Draw an in mark on the subject first.");
      return;
    }
    this.drawing = { kind, fill: tools.tool === "lasso", points: [at] };
  }

  move(event: PointerEvent): void {
    const pinch = this.fingers.move(event);
    if (pinch) this.framing.pinch(pinch);
    if (this.fingers.two) return;
    const at = (this.pointer = this.framing.at(event));
    const { tools } = this.desk;
    const pressed = event.buttons & 1;
    if (this.sampled) this.sampled = [this.sampled[0], at];
    if (this.brushed.length && pressed) this.brushed = [...this.brushed, at];
    if (this.shaping && pressed && byCorners(this.shaping.kind))
      this.shaping = { ...this.shaping, points: [this.shaping.points[0], at] };
    if (this.boxed && pressed) {
      const [[x, y], [toX, toY]] = [this.boxed, at];
      const far = Math.min(Math.abs(toX - x), Math.abs(toY - y)) * this.framing.scale;
      this.corners =
        far < 6
          ? [this.boxed]
          : [
              [x, y],
              [toX, y],
              [toX, toY],
              [x, toY],
            ];
    }
    this.warm();
    if (this.panning) {
      const { x, y, centre } = this.panning;
      this.framing.pan(centre, event.clientX - x, event.clientY - y);
    } else if (this.drawing) {
      const between = event.getCoalescedEvents?.() ?? [];
      const events = between.length ? between : [event];
      const points = events.map((one) => this.framing.at(one));
      this.drawing = { ...this.drawing, points: [...this.drawing.points, ...points] };
    } else if (tools.tool === "erase" && pressed && tools.marking)
      erase(this.desk, at, 5 / this.framing.scale);
  }

  up(event: PointerEvent): void {
    if (this.fingers.lift(event)) return;
    const { sampled, drawing } = this;
    if (sampled) {
      this.sampled = null;
      const how = event.altKey ? "take" : event.shiftKey ? "add" : "set";
      void sample(this.desk, sampled, how);
      return;
    }
    if (this.boxed) {
      this.boxed = null;
      if (this.corners.length === 4) this.endCornersOfPatch();
      return;
    }
    if (this.brushed.length) return this.endTracks();
    if (this.shape) return this.endCorners();
    this.panning = this.drawing = null;
    if (drawing) draw(this.desk, drawing);
  }

  /** The event is of a pointer that was taken away; without one, what is under way ends. */
  cancel(event?: PointerEvent): void {
    if (event) this.fingers.lift(event);
    this.drawing = this.panning = this.sampled = this.shaping = null;
    this.brushed = this.corners = [];
    this.boxed = null;
  }

  private addPoint(kind: Drawn, point: Point): void {
    if (byCorners(kind)) {
      this.shaping = { kind, points: [point, point] };
      return;
    }
    const first = this.shaping?.points[0];
    const near = first && Math.hypot(point[0] - first[0], point[1] - first[1]);
    if (near !== undefined && kind !== "line" && near * this.framing.scale < 9) return this.close();
    this.shaping = { kind, points: [...(this.shaping?.points ?? []), point] };
  }

  private endCorners(): void {
    const { shaping } = this;
    if (!shaping || !byCorners(shaping.kind)) return;
    const [a, b] = shaping.points;
    const [width, height] = [Math.abs(a[0] - b[0]), Math.abs(a[1] - b[1])];
    this.shaping = null;
    // a press without a drag is a slip of the hand
    if (Math.min(width, height) * this.framing.scale < 4) return;
    const middle = { x: (a[0] + b[0]) / 2, y: (a[1] + b[1]) / 2 };
    addShape(this.desk, shaping.kind, { ...middle, width, height });
  }

  /** Ends a shape that is drawn point by point. */
  close(): void {
    const { shaping } = this;
    if (!shaping || shaping.points.length < fewest(shaping.kind)) return;
    const points = shaping.points.map(([x, y]) => ({ x, y, inner: 0, outer: 0, corner: false }));
    addShape(this.desk, shaping.kind, { points });
    this.shaping = null;
  }

  /** Keys while a shape is under way. */
  key(event: KeyboardEvent): void {
    const { shaping } = this;
    if (this.corners.length && ["Backspace", "Escape"].includes(event.key)) {
      this.corners = event.key === "Escape" ? [] : this.corners.slice(0, -1);
      event.preventDefault();
      event.stopPropagation();
    }
    if (!shaping) return;
    if (event.key === "Enter") this.close();
    else if (event.key === "Backspace")
      this.shaping = { ...shaping, points: shaping.points.slice(0, -1) };
    else if (event.key === "Escape") this.shaping = null;
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  /** The first mark on a frame should answer as quickly as the next: its picture is prepared under the pointer. */
  private warm(): void {
    const { tools, playback, shot } = this.desk;
    if (!tools.marking || playback.playing || this.warmed === playback.seen) return;
    this.warmed = playback.seen;
    void api.ready(shot.id, playback.seen).catch(() => {});
  }
}

/** Four corners in their turn about their middle, from the top left one on, clockwise. */
export function inTurn(corners: Point[]): Point[] {
  const middle = middleOf(corners);
  const turn = ([x, y]: Point) => Math.atan2(y - middle[1], x - middle[0]);
  const sorted = [...corners].sort((a, b) => turn(a) - turn(b));
  const first = sorted.reduce(
    (best, p, i) => (p[0] + p[1] < sorted[best][0] + sorted[best][1] ? i : best),
    0,
  );
  return [...sorted.slice(first), ...sorted.slice(0, first)];
}
