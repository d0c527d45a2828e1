/** The planes of the stand: the order in which they are shown, and edits of them. */
import type { Op } from "../lib/api";
import type { Gate, Plane } from "../lib/api-types";
import type { ShotStore } from "../lib/shot.svelte";

export type Level = { plane: Plane; depth: number };

/** Front to back, with what a group holds below it. */
export function levels(planes: Plane[], group: string | null = null, depth = 0): Level[] {
  return planes
    .filter((plane) => plane.group === group)
    .flatMap((plane) => [
      { plane, depth },
      ...(plane.kind === "group" ? levels(planes, plane.id, depth + 1) : []),
    ]);
}

/** A plane's edit to another place: before or behind another one, or into a group as its front plane. */
export function placed(
  shot: ShotStore,
  id: string,
  target: string,
  where: "before" | "behind" | "in",
): Op[] {
  const planes = shot.doc.planes;
  const from = planes.findIndex((p) => p.id === id);
  const to = planes.findIndex((p) => p.id === target);
  const group = where === "in" ? target : planes[to].group;
  if (from < 0 || to < 0 || from === to || inside(planes, target, id)) return [];
  let index = where === "before" ? to : to + 1;
  if (from < index) index -= 1;
  const ops: Op[] = [];
  if (planes[from].group !== group)
    ops.push({ op: "replace", path: `/planes/${from}/group`, value: group });
  if (index !== from) ops.push({ op: "move", from: `/planes/${from}`, path: `/planes/${index}` });
  return ops;
}

function inside(planes: Plane[], id: string | null, group: string): boolean {
  for (let at = id; at; at = planes.find((p) => p.id === at)?.group ?? null)
    if (at === group) return true;
  return false;
}

/** One step to the front (-1) or to the back among the planes that lie beside it. */
export function stepped(shot: ShotStore, plane: Plane, by: -1 | 1): Op[] {
  const beside = shot.doc.planes.filter((p) => p.group === plane.group);
  const other = beside[beside.indexOf(plane) + by];
  return other ? placed(shot, plane.id, other.id, by < 0 ? "before" : "behind") : [];
}

/** A plane and, of a group, all that it holds. */
export function whole(planes: Plane[], plane: Plane): Plane[] {
  return [plane, ...planes.filter((p) => p.group === plane.id).flatMap((p) => whole(planes, p))];
}

/** Copies with ids of their own, right before what they are copies of. */
export function copies(shot: ShotStore, plane: Plane): { ops: Op[]; id: string } {
  const all = whole(shot.doc.planes, plane);
  const ids = new Map(all.map((p) => [p.id, shot.freshId("p")]));
  const at = shot.doc.planes.indexOf(plane);
  const ops = all.map((p, i): Op => {
    const treatments = p.treatments.map((t) => ({ ...t, id: shot.freshId("s") }));
    const name = p === plane ? `${p.name} copy` : p.name;
    const group = p === plane ? p.group : (ids.get(p.group ?? "") ?? p.group);
    const value = { ...p, id: ids.get(p.id)!, name, group, treatments };
    return { op: "add", path: `/planes/${at + i}`, value };
  });
  return { ops, id: ids.get(plane.id)! };
}

/** Takes a plane away, with all that a group holds. */
export function removed(shot: ShotStore, plane: Plane): Op[] {
  const planes = shot.doc.planes;
  return whole(planes, plane)
    .map((p) => planes.indexOf(p))
    .sort((a, b) => b - a)
    .map((i) => ({ op: "remove", path: `/planes/${i}` }));
}

/** Lets a group's planes go to where it was, and takes the group away. */
export function dissolved(shot: ShotStore, group: Plane): Op[] {
  const planes = shot.doc.planes;
  const ops: Op[] = planes.flatMap((p, i) =>
    p.group === group.id ? [{ op: "replace", path: `/planes/${i}/group`, value: group.group }] : [],
  );
  return [...ops, { op: "remove", path: `/planes/${planes.indexOf(group)}` }];
}

/** A gate as it begins: through all of a matte's inside, and nothing taken away. */
export function newGate(shot: ShotStore, matte: string): Gate {
  const fields = shot.entry("gate", "gate").fields;
  const begins = Object.fromEntries(fields.map((field) => [field.name, field.default]));
  return { ...begins, matte, excluded: [] } as unknown as Gate;
}

/** A new plane of a kind before what is selected, or a plate behind all; a new group holds what is selected. */
export function newPlane(
  shot: ShotStore,
  kind: Plane["kind"],
  matte: string | null,
  selected: Plane | undefined,
): { ops: Op[]; plane: Plane } {
  const entry = shot.entry("plane", kind);
  const begins: Partial<Plane> = entry.begins;
  const plane: Plane = {
    name: entry.label,
    on: true,
    solo: false,
    opacity: 1,
    blend: "normal",
    first: null,
    last: null,
    placement: {},
    ride: null,
    line_up: null,
    card: null,
    time: {},
    params: {},
    ...begins,
    id: shot.freshId("p"),
    kind,
    matte: entry.needs_matte ? matte : null,
    gate: begins.gate && matte ? { ...newGate(shot, matte), ...begins.gate, matte } : null,
    group: selected?.group ?? null,
    treatments: (begins.treatments ?? []).map((step) => ({
      ...step,
      id: shot.freshId("s"),
      on: true,
      params: step.params ?? {},
    })),
  };
  const planes = shot.doc.planes;
  const at = kind === "plate" ? planes.length : selected ? planes.indexOf(selected) : 0;
  const ops: Op[] = [{ op: "add", path: `/planes/${at}`, value: plane }];
  if (kind === "group" && selected)
    ops.push({ op: "replace", path: `/planes/${at + 1}/group`, value: plane.id });
  return { ops, plane };
}

/** What a plane is, in a few words. */
export function aboutPlane(shot: ShotStore, plane: Plane): string {
  const number = (frame: number | null) =>
    frame === null ? "end" : String(shot.doc.first_number + frame);
  const matte = shot.matte(plane.matte)?.name;
  const kind = shot.entry("plane", plane.kind).label.toLowerCase();
  const footage = shot.doc.footage.find((f) => f.id === plane.params.footage)?.name;
  const parts = [plane.kind === "line" ? `line on ${matte}` : matte ? `${kind} · ${matte}` : kind];
  if (footage) parts[0] += ` · ${footage}`;
  if (plane.gate) {
    const not = plane.gate.invert ? "not " : "";
    parts.push(`${not}${plane.gate.part} ${shot.matte(plane.gate.matte)?.name ?? "?"}`);
  }
  if (plane.blend !== "normal") parts.push(plane.blend);
  if (plane.first !== null || plane.last !== null)
    parts.push(`${number(plane.first)} to ${number(plane.last)}`);
  return parts.join(" · ");
}
