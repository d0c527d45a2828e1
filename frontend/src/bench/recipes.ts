/** What is done to the recipe on the bench: pulls of a matte, treatments of a plane. */
import type { DeclaredOut, Matte, Plane, Pull, Step } from "../lib/api-types";
import type { Desk } from "../lib/desk.svelte";
import { moves } from "../lib/movers";
import { newPull } from "../stand/mattes";

export type Deeds = Record<string, (() => void) | undefined>;

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

export function addPull(desk: Desk, matte: Matte, kind: string): string {
  const { pull, unused } = pullToAdd(desk, matte, kind);
  const path = pullPath(desk, matte, unused ? 0 : "-");
  const label = `add ${desk.shot.entry("pull", kind).label}`;
  desk.shot.edit([{ op: unused ? "replace" : "add", path, value: pull }], label);
  desk.choosePull(pull.id);
  if (desk.mode === "result") desk.mode = "veil";
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

/** A copy whose parts have ids of their own. */
function twin(desk: Desk, pull: Pull): Pull {
  const shapes = pull.shapes.map((shape) => ({ ...shape, id: desk.shot.freshId("h") }));
  return { ...pull, id: desk.shot.freshId("u"), shapes };
}

/** What a pull's card can do; what has marks can't be copied, since its frames belong to it. */
export function deedsOfPull(
  desk: Desk,
  matte: Matte,
  i: number,
  dragging: { from: number | null },
): Deeds {
  const { shot } = desk;
  const pull = matte.pulls[i];
  const label = shot.entry("pull", pull.kind).label;
  const path = pullPath(desk, matte, i);
  const move = (from: number, to: number) =>
    shot.edit(
      [{ op: "move", from: pullPath(desk, matte, from), path: pullPath(desk, matte, to) }],
      "move pull",
    );
  const last = i + 1 === matte.pulls.length;
  return {
    onturn: () =>
      shot.edit(
        [{ op: "replace", path: `${path}/on`, value: !pull.on }],
        `${pull.on ? "switch off" : "switch on"} ${label}`,
      ),
    onleft: i > 0 ? () => move(i, i - 1) : undefined,
    onright: last ? undefined : () => move(i, i + 1),
    oncopy:
      shot.holds(pull) === "marks"
        ? undefined
        : () =>
            shot.edit(
              [{ op: "add", path: pullPath(desk, matte, i + 1), value: twin(desk, pull) }],
              "copy pull",
            ),
    ontoo: last ? undefined : () => lookAfter(desk, i + 1),
    ondrag: () => (dragging.from = i),
    ondropped: () => {
      if (dragging.from !== null && dragging.from !== i) move(dragging.from, i);
      dragging.from = null;
    },
    onremove: () => shot.edit([{ op: "remove", path }], `remove ${label}`),
  };
}

/** What a treatment's card can do. */
export function deedsOfStep(
  desk: Desk,
  plane: Plane,
  i: number,
  dragging: { from: number | null },
): Deeds {
  const { shot } = desk;
  const step: Step = plane.treatments[i];
  const label = shot.entry("treatment", step.kind).label;
  const path = stepPath(desk, plane, i);
  const move = (from: number, to: number) =>
    shot.edit(
      [{ op: "move", from: stepPath(desk, plane, from), path: stepPath(desk, plane, to) }],
      "move treatment",
    );
  const copy = { ...step, id: shot.freshId("s") };
  return {
    onturn: () =>
      shot.edit(
        [{ op: "replace", path: `${path}/on`, value: !step.on }],
        `${step.on ? "switch off" : "switch on"} ${label}`,
      ),
    onleft: i > 0 ? () => move(i, i - 1) : undefined,
    onright: i + 1 < plane.treatments.length ? () => move(i, i + 1) : undefined,
    oncopy: () =>
      shot.edit([{ op: "add", path: stepPath(desk, plane, i + 1), value: copy }], "copy treatment"),
    ondrag: () => (dragging.from = i),
    ondropped: () => {
      if (dragging.from !== null && dragging.from !== i) move(dragging.from, i);
      dragging.from = null;
    },
    onremove: () => shot.edit([{ op: "remove", path }], `remove ${label}`),
  };
}

/** The views show the matte as the first pulls leave it; null for all of it. */
export function lookAfter(desk: Desk, count: number | null): void {
  desk.upTo = count;
  if (count && desk.mode === "result") desk.mode = "veil";
}

/** Whether values change nothing. */
export function atRest(declared: DeclaredOut, values: Record<string, unknown>): boolean {
  return declared.fields.every(
    (field) =>
      !(field.name in values) ||
      JSON.stringify(values[field.name]) === JSON.stringify(field.default),
  );
}

/** How many rows the fields of a card take. */
export function rowsOf(declared: DeclaredOut): number {
  const tall: Partial<Record<string, number>> = { curve: 5, ramp: 3.5 };
  return declared.fields.reduce((sum, field) => sum + (tall[field.control] ?? 1), 0);
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
