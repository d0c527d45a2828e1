/** What is done to the recipe on the bench: pulls of a matte, treatments of a plane. */
import type { DeclaredOut, FootageOut, Matte, Plane, Pull } from "../lib/api-types";
import { asking } from "../lib/asking.svelte";
import type { Desk } from "../desk/desk.svelte";
import { entryOf, known } from "../lib/document";
import { moves } from "../lib/movers";
import { newPull } from "../stand/mattes";
import { newPlane } from "../stand/planes";
import type { Place } from "./places";

export type Deeds = {
  [
    deed in "onturn" | "onleft" | "onright" | "oncopy" | "onrename" | "onremove" | "ontoo"
  ]?: () => void;
} & { place: Place };

/** Where a pull lies in the document. */
export function pullPath(desk: Desk, matte: Matte, index: number | "-"): string {
  return `${desk.shot.mattePath(matte.id)}/pulls/${index}`;
}

export function stepPath(desk: Desk, plane: Plane, index: number | "-"): string {
  return `${desk.shot.planePath(plane.id)}/treatments/${index}`;
}

/** The pull that adding a kind would add, and whether it takes the place of one that nothing was done with yet. */
export function pullToAdd(desk: Desk, matte: Matte, kind: string): { pull: Pull; unused: boolean } {
  const shot = desk.shot;
  const marked = shot.entry("pull", kind).holds === "marks";
  const only = matte.pulls.length === 1 ? matte.pulls[0] : null;
  // a trace that nothing was marked for would leave nothing to join with
  const unused =
    !!only && shot.holds(only) === "marks" && !only.marks.length && !shot.frames.get(only.id)?.size;
  // another kind narrows what is there; one more of a kind is for what the first one left out
  const narrows = matte.pulls.length && !matte.pulls.some((p) => p.kind === kind);
  const pull = newPull(shot.freshId(marked ? "t" : "u"), kind);
  if (narrows && !marked && !unused) pull.join = "intersect";
  return { pull, unused };
}

/** params: what it begins with, as its picture on the shelf shows it. */
export function addPull(
  desk: Desk,
  matte: Matte,
  kind: string,
  params: Record<string, unknown> = {},
): string {
  const { pull, unused } = pullToAdd(desk, matte, kind);
  pull.params = params;
  const path = pullPath(desk, matte, unused ? 0 : "-");
  const label = `add ${desk.shot.entry("pull", kind).label}`;
  desk.shot.edit([{ op: unused ? "replace" : "add", path, value: pull }], label);
  desk.tools.choosePull(pull.id);
  if (desk.view.mode === "result") desk.view.mode = "veil";
  return pull.id;
}

export function addStep(
  desk: Desk,
  plane: Plane,
  declared: DeclaredOut,
  params: Record<string, unknown> = {},
): string {
  const value = { id: desk.shot.freshId("s"), kind: declared.kind, on: true, params };
  desk.shot.edit([{ op: "add", path: stepPath(desk, plane, "-"), value }], `add ${declared.label}`);
  return value.id;
}

/** A plane of a kind on the stand, selected from then on. */
export function addPlane(desk: Desk, kind: Plane["kind"], footage?: FootageOut): void {
  const { ops, plane } = newPlane(desk.shot, kind, desk.selection.matteId, desk.selection.plane);
  // a take is there from this frame on, and shows the same of its frames, until it is stepped to another one
  if (kind === "take") plane.first = desk.playback.frame;
  if (footage) plane.params = { footage: String(footage.id) };
  desk.shot.edit(
    [...(footage ? known(desk.shot.doc, entryOf(footage)) : []), ...ops],
    `add ${plane.name.toLowerCase()}`,
  );
  desk.selection.thing = { kind: "plane", id: plane.id };
  desk.view.mode = "result";
}

/** A copy whose parts have ids of their own. */
function twin(desk: Desk, pull: Pull): Pull {
  const shapes = pull.shapes.map((shape) => ({ ...shape, id: desk.shot.freshId("h") }));
  return { ...pull, id: desk.shot.freshId("u"), shapes };
}

/** What the card of a list's entry can do: switched, moved to and fro, dragged, copied where that is possible, removed. */
function deedsOf(
  desk: Desk,
  list: (index: number) => string,
  {
    i,
    count,
    what,
    label,
    name,
    on,
    copy,
  }: {
    i: number;
    count: number;
    what: string;
    label: string;
    name: string;
    on: boolean;
    copy: (() => object) | null;
  },
): Deeds {
  const edit = desk.shot.edit.bind(desk.shot);
  const move = (from: number, to: number) =>
    edit([{ op: "move", from: list(from), path: list(to) }], `move ${what}`);
  return {
    onturn: () =>
      edit(
        [{ op: "replace", path: `${list(i)}/on`, value: !on }],
        `${on ? "switch off" : "switch on"} ${label}`,
      ),
    onleft: i > 0 ? () => move(i, i - 1) : undefined,
    onright: i + 1 < count ? () => move(i, i + 1) : undefined,
    onrename: async () => {
      const next = await asking.name(
        `Rename ${name || label}`,
        name || label,
        "Rename",
        `As “${label}” it is called by its kind again.`,
      );
      if (next === null) return;
      const value = next === label ? "" : next;
      if (value !== name) edit([{ op: "add", path: `${list(i)}/name`, value }], `rename ${what}`);
    },
    oncopy: copy
      ? () => edit([{ op: "add", path: list(i + 1), value: copy() }], `copy ${what}`)
      : undefined,
    place: { list: list(0), at: i, move: (to) => move(i, to) },
    onremove: () => edit([{ op: "remove", path: list(i) }], `remove ${label}`),
  };
}

/** What a pull's card can do; what has marks can't be copied, since its frames belong to it. */
export function deedsOfPull(desk: Desk, matte: Matte, i: number): Deeds {
  const { shot } = desk;
  const pull = matte.pulls[i];
  const about = {
    i,
    count: matte.pulls.length,
    what: "pull",
    label: shot.entry("pull", pull.kind).label,
    name: pull.name ?? "",
    on: pull.on,
    copy: shot.holds(pull) === "marks" ? null : () => twin(desk, pull),
  };
  return {
    ...deedsOf(desk, (at) => pullPath(desk, matte, at), about),
    ontoo: i + 1 === matte.pulls.length ? undefined : () => lookAfter(desk, i + 1),
  };
}

/** What a treatment's card can do. */
export function deedsOfStep(desk: Desk, plane: Plane, i: number): Deeds {
  const { shot } = desk;
  const step = plane.treatments[i];
  const about = {
    i,
    count: plane.treatments.length,
    what: "treatment",
    label: shot.entry("treatment", step.kind).label,
    name: step.name ?? "",
    on: step.on,
    copy: () => ({ ...step, id: shot.freshId("s") }),
  };
  return deedsOf(desk, (at) => stepPath(desk, plane, at), about);
}

/** The views show the matte as the first pulls leave it; null for all of it. */
export function lookAfter(desk: Desk, count: number | null): void {
  desk.view.upTo = count;
  if (count && desk.view.mode === "result") desk.view.mode = "veil";
}

/** Whether values change nothing. */
export function atRest(declared: DeclaredOut, values: Record<string, unknown>): boolean {
  return declared.fields.every(
    (field) =>
      !(field.name in values) ||
      JSON.stringify(values[field.name]) === JSON.stringify(field.default),
  );
}

const TALL: Partial<Record<string, number>> = { curve: 5, ramp: 3.5 };

/** How many rows the fields of a card take. */
export function rowsOf(declared: DeclaredOut): number {
  return declared.fields.reduce((sum, field) => sum + (TALL[field.control] ?? 1), 0);
}

/** How many rows its tallest field takes. */
export function tallestOf(declared: DeclaredOut): number {
  return Math.max(1, ...declared.fields.map((field) => TALL[field.control] ?? 1));
}

export const anyMoves = (values: Record<string, unknown>) => Object.values(values).some(moves);

/** What a plane does, in one line. */
export function saysOfPlane(desk: Desk, plane: Plane): string {
  const shot = desk.shot;
  const kind = shot.entry("plane", plane.kind).label.toLowerCase();
  const matte = shot.matte(plane.matte)?.name;
  const gate = shot.matte(plane.gate?.matte)?.name;
  const said = [
    matte ? `${kind} ${plane.kind === "line" ? "on" : "of"} ${matte}` : kind,
    gate && `seen through the ${plane.gate!.part} of ${gate}`,
    plane.blend !== "normal" && `laid over by ${plane.blend}`,
  ];
  const time = plane.time as Record<string, unknown>;
  const late = Number(time.offset ?? 0);
  if (late) said.push(`${Math.abs(late)} frames ${late > 0 ? "late" : "early"}`);
  if (time.speed !== undefined && time.speed !== 100)
    said.push(moves(time.speed) ? "its speed changes" : `at ${time.speed} %`);
  if (!atRest(shot.entry("placement", "placement"), plane.placement)) said.push("placed");
  const count = plane.treatments.length;
  if (count) said.push(`${count} treatment${count > 1 ? "s" : ""}`);
  const values = [
    plane.params,
    plane.placement,
    plane.time,
    ...plane.treatments.map((s) => s.params),
  ];
  if (moves(plane.opacity) || values.some(anyMoves)) said.push("moves");
  return said.filter(Boolean).join(", ");
}

/** What a matte does, in one line. */
export function saysOfMatte(desk: Desk, matte: Matte): string {
  const shot = desk.shot;
  if (matte.settled)
    return shot.outdated.includes(matte.id)
      ? "settled frames are shown; the recipe has changed since"
      : "settled: stored frames are shown, nothing is computed";
  const words = { add: "plus", subtract: "minus", intersect: "and", difference: "differs from" };
  const pulls = matte.pulls.map((pull, i) => {
    const label = shot.entry("pull", pull.kind).label.toLowerCase();
    return i ? `${words[pull.join]} ${label}` : label;
  });
  const edge = atRest(shot.entry("edge", "edge"), matte.edge) ? "" : ", then the edge";
  return (pulls.join(" ") || "no pull yet") + edge;
}
