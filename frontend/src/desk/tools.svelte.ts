/** What is in the hand, and what a drag over the picture does. */
import type { PathOut, Plane, Pull, Shape, Track } from "../lib/api-types";
import { apply, growth, inverse } from "../lib/matrix";
import type { Point } from "../lib/shapes";
import { newTrack, sinceOf, type TrackKind } from "../lib/tracks";
import type { Way } from "../lib/shape-edits";
import type { Rgb } from "../lib/values";
import type { ShotStore } from "../lib/shot.svelte";
import type { Selection } from "./selection.svelte";
import type { View } from "./view.svelte";

export type Drawn = "ellipse" | "box" | "polygon" | "curve" | "line";
type Marking = "in" | "out" | "lasso" | "near" | "drag" | "erase";
/** What a new track is marked by, and what is looked at of one. */
export type Tracking = "point" | "region" | "patch" | "spare" | "take";
/** stand: the next press on the picture stands the selected plane in the scene. */
export type Tool = Marking | "hand" | "sample" | "arrow" | "place" | "stand" | Drawn | Tracking;

const ON_TRACES: Tool[] = ["in", "out", "lasso", "near", "drag", "erase", "hand"];
export const BRUSH = [1, 200]; // the least and the most radius

export class Tools {
  tool = $state<Tool>("in");
  /** The brush's radius in plate pixels; `sizeBrush` sets it. */
  brush = $state(6);
  /** The colour key that the next drag over the picture sets. */
  sampling = $state<string | null>(null);
  /** The colour that the next drag over the picture picks: what it is called, and who takes it. */
  picking = $state.raw<{ name: string; take: (colour: Rgb) => void } | null>(null);
  /** Whether a change of a shape sets a key on this frame, one for the changed points alone, or changes all keys. */
  shapeWay = $state<Way>("frame");
  /** Keys of a shape that were copied. */
  copied = $state.raw<Shape["keys"] | null>(null);

  constructor(
    private shot: ShotStore,
    private selection: Selection,
    private view: View,
  ) {}

  /** Sets the brush's radius, held to what a brush can be. */
  sizeBrush(radius: number): void {
    this.brush = Math.max(BRUSH[0], Math.min(BRUSH[1], radius));
  }

  /** Whether marks can be drawn now; the unrolled strip is no picture to draw on. */
  get marking(): boolean {
    return this.shot.holds(this.selection.pull) === "marks" && this.view.mode !== "unroll";
  }

  /** The pull whose shapes can be drawn and changed now. */
  get shaping(): Pull | undefined {
    const pull = this.selection.pull;
    return this.shot.holds(pull) === "shapes" && this.view.mode !== "unroll" ? pull : undefined;
  }

  /** The kind of track that the hand is about to mark. */
  get newTrack(): TrackKind | undefined {
    const kinds: TrackKind[] = ["point", "region", "patch"];
    return kinds.find((kind) => kind === this.tool);
  }

  /** The track whose looked-at pieces a drag over the picture changes. */
  get sparing(): Track | undefined {
    return this.tool === "spare" || this.tool === "take" ? this.selection.track : undefined;
  }

  /** Adds a camera, which leaves a matte out, and selects it. */
  addCamera(frame: number, without: string | null): void {
    const { shot } = this;
    const value = newTrack(shot.freshId("r"), this.free("Camera"), "camera", frame, []);
    if (without) value.params = { without };
    shot.edit([{ op: "add", path: "/tracks/-", value }], "add camera");
    this.selection.thing = { kind: "track", id: value.id };
    this.tool = "arrow";
  }

  private free(label: string): string {
    const names = new Set(this.shot.doc.tracks.map((one) => one.name));
    if (!names.has(label)) return label;
    let n = 2;
    while (names.has(`${label} ${n}`)) n += 1;
    return `${label} ${n}`;
  }

  /** Adds a track that is marked on a frame, and selects it. */
  addTrack(kind: TrackKind, frame: number, points: Point[]): void {
    const { shot } = this;
    const label = shot.entry("track", kind).label;
    const number = shot.doc.tracks.length + 1;
    const value = newTrack(shot.freshId("r"), `${label} ${number}`, kind, frame, points);
    shot.edit([{ op: "add", path: "/tracks/-", value }], "add track");
    this.selection.thing = { kind: "track", id: value.id };
    this.tool = "arrow";
  }

  /** Leaves places of a frame out of a track, or has them looked at; they are kept as of its frame of reference. */
  spot(
    track: Track,
    side: "less" | "more",
    places: Point[],
    radius: number,
    path: PathOut | undefined,
    frame: number,
  ): void {
    const back = inverse(sinceOf(path, frame));
    const at = `${this.shot.trackPath(track.id)}/${side}/-`;
    const ops = places.map((place) => {
      const [x, y] = apply(back, place).map((n) => Math.round(n * 100) / 100);
      const value = { x, y, radius: Math.round(radius * growth(back, place) * 100) / 100 };
      return { op: "add", path: at, value };
    });
    this.shot.edit(ops, side === "less" ? "leave out of track" : "draw into track");
  }

  /** The plane that could be placed on the picture now. */
  get placeable(): Plane | undefined {
    if (this.view.mode !== "result" || this.view.split) return undefined;
    const plane = this.selection.plane;
    return plane && plane.kind !== "glaze" ? plane : undefined;
  }

  /** The plane that a drag over the picture places: one that has been placed, an element, or with the tool at hand. */
  get placing(): Plane | undefined {
    const plane = this.placeable;
    if (plane?.card && !plane.card.params.still) return undefined;
    if (!plane || this.tool === "place") return plane;
    const placed =
      plane.kind === "element" || plane.kind === "take" || Object.keys(plane.placement).length > 0;
    return placed && this.tool !== "hand" ? plane : undefined;
  }

  /** Lets the next drag over the picture pick a colour; asked for again, it is let be. */
  pickFor(name: string, take: (colour: Rgb) => void): void {
    const again = this.picking?.name === name;
    this.picking = again ? null : { name, take };
    this.sampling = null;
    this.tool = again ? "hand" : "sample";
  }

  /** Takes a pull in hand, with a tool that is of use for it. */
  choosePull(id: string): void {
    const selection = this.selection;
    if (selection.pull?.id === id) return;
    selection.pullId = id;
    selection.shapeId = selection.pointAt = null;
    const holds = this.shot.holds(selection.pull);
    if (holds === "shapes") this.tool = "arrow";
    else if (holds === "marks" && !ON_TRACES.includes(this.tool)) this.tool = "in";
    else if (holds !== "marks" && this.tool !== "sample") this.tool = "hand";
  }

  /** Stores a shape of the pull at hand: in place of the one with its id, or as a new one. */
  putShape(shape: Shape, label: string, gesture: string | null = null): void {
    const pull = this.shaping;
    if (!pull) return;
    const index = pull.shapes.findIndex((s) => s.id === shape.id);
    const path = `${this.selection.pullPath(pull.id)}/shapes/${index < 0 ? "-" : index}`;
    const op = index < 0 ? "add" : "replace";
    this.shot.edit([{ op, path, value: shape }], label, gesture);
  }

  removeShape(id: string): void {
    const pull = this.shaping;
    const index = pull?.shapes.findIndex((s) => s.id === id) ?? -1;
    if (!pull || index < 0) return;
    const path = `${this.selection.pullPath(pull.id)}/shapes/${index}`;
    this.shot.edit([{ op: "remove", path }], "remove shape");
    this.selection.shapeId = this.selection.pointAt = null;
  }
}
