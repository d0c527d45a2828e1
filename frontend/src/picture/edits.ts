import { api } from "../lib/api";
import type { Mark, Shape, ShapeKey } from "../lib/api-types";
import type { Desk } from "../desk/desk.svelte";
import type { Drawn } from "../desk/tools.svelte";
import { notes } from "../lib/notes.svelte";
import { blankKey, rounded } from "../lib/shape-edits";
import { thinned, touches, type Point, type Stroke } from "./strokes";

const SHAPES: Record<Drawn, string> = {
  ellipse: "Ellipse",
  box: "Box",
  polygon: "Polygon",
  curve: "Curve",
  line: "Line",
};

/** Adds what was drawn to the trace's marks, unless it was a slip of the hand. */
export function draw(desk: Desk, { kind, fill, points }: Stroke) {
  const line = thinned(points, Math.max(1, desk.tools.brush / 3));
  // a lasso that encloses nothing, or a drag to nowhere
  if (line.length < (fill || kind === "near" ? 3 : kind === "drag" ? 2 : 1)) return;
  const pull = desk.selection.trace;
  if (!pull) return;
  const here = (pull.marks ?? []).filter((m) => m.frame === desk.playback.seen);
  const radius = desk.tools.brush;
  const id = desk.shot.freshId("k");
  const mark: Mark = { id, frame: desk.playback.seen, kind, radius, points: line, fill };
  const says: Partial<Record<typeof kind, string>> = {
    near: "only near here",
    drag: "drag the outline",
  };
  desk.shot.edit(
    [{ op: "add", path: `${desk.selection.pullPath(pull.id)}/marks/-`, value: mark }],
    says[kind] ?? `${kind} ${fill ? "lasso" : "mark"}`,
  );
  const solved = desk.shot.frame(pull.id, desk.playback.seen)?.blob;
  if (kind === "out" && !solved && !here.some((m) => m.kind === "in"))
    notes.add(
      "Nothing can be solved from out marks alone.",
      "Draw an in mark on the subject, too.",
    );
}

/** Takes away the frame's mark that lies within a reach, in plate pixels, of a place. */
export function erase(desk: Desk, point: Point, reach: number) {
  const pull = desk.selection.trace;
  const hit =
    pull?.marks?.findIndex((m) => m.frame === desk.playback.seen && touches(m, point, reach)) ?? -1;
  if (!pull || hit < 0) return;
  desk.shot.edit(
    [{ op: "remove", path: `${desk.selection.pullPath(pull.id)}/marks/${hit}` }],
    "erase mark",
  );
}

/** Takes what lies under the dragged box: a colour for the field that asked for one, or ranges for the colour key. */
export async function sample(desk: Desk, [a, b]: [Point, Point], how: "set" | "add" | "take") {
  const { selection, tools, shot } = desk;
  const { picking } = tools;
  const pull = shot.matte(selection.matteId)?.pulls.find((p) => p.id === tools.sampling);
  if (!pull && !picking) return;
  const around: [number, number, number, number] = [
    Math.round(Math.min(a[0], b[0]) - 2),
    Math.round(Math.min(a[1], b[1]) - 2),
    Math.round(Math.max(a[0], b[0]) + 2),
    Math.round(Math.max(a[1], b[1]) + 2),
  ];
  try {
    const known = how === "set" || !pull ? null : { pull: pull.id, how };
    const { values, colour } = await api.sample(shot.id, desk.playback.seen, around, known);
    if (picking) picking.take(colour);
    else if (pull) {
      const path = `${selection.pullPath(pull.id)}/params`;
      const says = { set: "pick a colour", add: "add a colour", take: "take a colour away" };
      const value = { ...pull.params, ...values };
      shot.edit([{ op: "replace", path, value }], says[how]);
    }
    if (picking || how === "set") {
      tools.tool = "hand";
      tools.sampling = tools.picking = null;
    }
  } catch (error) {
    notes.fault(error);
  }
}

/** A new shape with one key on this frame. */
export function addShape(desk: Desk, kind: Drawn, part: Partial<ShapeKey>) {
  const pull = desk.tools.shaping;
  if (!pull) return;
  const same = pull.shapes.filter((s) => s.kind === kind).length;
  const shape: Shape = {
    id: desk.shot.freshId("h"),
    name: same ? `${SHAPES[kind]} ${same + 1}` : SHAPES[kind],
    kind,
    on: true,
    join: "add",
    keys: [rounded({ ...blankKey(desk.playback.seen), ...part })],
    rides: [],
  };
  desk.tools.putShape(shape, `draw ${SHAPES[kind].toLowerCase()}`);
  desk.selection.shapeId = shape.id;
  desk.tools.tool = "arrow";
  if (desk.view.mode === "result") desk.view.mode = "veil";
}
