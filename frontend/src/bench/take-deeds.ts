/** What is done with a take: its frame at the join, its line-up, tone, seam, and the sound of both. */
import { api, type Op } from "../lib/api";
import type { LineUpRequest, Matte, Plane, Step, TakeRequest } from "../lib/api-types";
import type { Desk } from "../desk/desk.svelte";
import { notes } from "../lib/notes.svelte";
import { newPull } from "../stand/mattes";
import { newGate } from "../stand/planes";

export type Kind = NonNullable<LineUpRequest["kind"]>;
export type Over = NonNullable<TakeRequest["over"]>;
/** Where the takes are compared: everywhere, without what a matte covers, or about it alone. */
export type Where = { leave_out: string | null; about: boolean };
const SILENT = -60;

/** The frame of the shot from which on the take is seen. */
export const joinOf = (plane: Plane): number => plane.first ?? 0;

/** The take's own frame that is seen there, counted from 0. */
export const ownFrame = (plane: Plane): number =>
  joinOf(plane) - Number(plane.time.offset ?? 0) + Number(plane.time.skip ?? 0);

/** Another of the take's frames at the join. */
export function stepTo(desk: Desk, plane: Plane, frame: number, gesture: string | null = null) {
  const offset = joinOf(plane) + Number(plane.time.skip ?? 0) - frame;
  const path = `${desk.shot.planePath(plane.id)}/time/offset`;
  desk.shot.edit([{ op: "add", path, value: offset }], "step the take", gesture);
}

/** The join on another frame; the take's frames stay where they are in time. */
export function joinAt(desk: Desk, plane: Plane, frame: number) {
  const path = `${desk.shot.planePath(plane.id)}/first`;
  desk.shot.edit([{ op: "replace", path, value: frame }], "move the join");
}

function asked(desk: Desk, plane: Plane, over: Over, where: Where): TakeRequest {
  const last = Math.min(plane.last ?? desk.shot.count - 1, desk.shot.range[1]);
  const first = Math.min(joinOf(plane), last);
  return { first, last: over === "frame" ? first : last, over, ...where };
}

export async function lineUp(desk: Desk, plane: Plane, kind: Kind, over: Over, where: Where) {
  const body = { ...asked(desk, plane, over, where), kind };
  const { line_up } = await api.lineUp(desk.shot.id, plane.id, body);
  // what a hand moved was for another line-up
  const path = desk.shot.planePath(plane.id);
  const ops: Op[] = [{ op: "replace", path: `${path}/line_up`, value: line_up }];
  if (Object.keys(plane.placement).length)
    ops.push({ op: "replace", path: `${path}/placement`, value: {} });
  desk.shot.edit(ops, "line up");
}

/** Its tone, and its sharpness and grain where they differ, as treatments; those that are there take the new values. */
export async function matchTone(desk: Desk, plane: Plane, over: Over, where: Where) {
  const { shot } = desk;
  const found = await api.matchTone(shot.id, plane.id, asked(desk, plane, over, where));
  const wanted: [string, Record<string, unknown>][] = [["tone", found.values]];
  if (found.blur) wanted.push(["blur", { radius: 2 * found.blur }]);
  if (found.grain) wanted.push(["grain", found.grain]);
  const steps: Step[] = [...plane.treatments];
  for (const [kind, params] of wanted) {
    const at = steps.findIndex((step) => step.kind === kind);
    if (at < 0) steps.push({ id: shot.freshId(kind), kind, name: "", on: true, params });
    else steps[at] = { ...steps[at], params: { ...steps[at].params, ...params } };
  }
  const path = `${shot.planePath(plane.id)}/treatments`;
  shot.edit([{ op: "replace", path, value: steps }], "match the tone");
  const more = [
    found.blur ? `It is softened by ${found.blur} px.` : "",
    found.grain ? "It takes the plate's grain." : "",
  ];
  notes.add(`${found.left.toFixed(1)} of 255 are left of the difference.`, more.join(" ").trim());
}

/** The take is seen through a matte of its own, which looks for the seam, or is a soft shape. */
export async function through(desk: Desk, plane: Plane, how: "seam" | "shape") {
  const { shot } = desk;
  const frame = Math.max(joinOf(plane), desk.playback.frame);
  const { place, reach } = await api.change(shot.id, plane.id, frame);
  const id = shot.freshId("m");
  const pull = newPull(shot.freshId("u"), how);
  if (how === "seam") pull.params = { plane: plane.id, place, reach };
  else {
    const { width, height } = shot.about.plate;
    const [x, y] = [width! / 2 + place[0], height! / 2 + place[1]];
    const key = {
      frame: joinOf(plane), ease: "linear" as const, only: [], points: [], x, y, width: 2 * reach,
      height: 2 * reach, angle: 0, round: 0, inner: Math.round(reach / 4), outer: Math.round(reach / 4),
    }; // prettier-ignore
    const shape = { id: shot.freshId("h"), name: "Join", kind: "ellipse" as const };
    pull.shapes = [{ ...shape, on: true, join: "add", keys: [key], rides: [] }];
  }
  const name = `${plane.name}, join`;
  const matte: Matte = { id, name, of: null, pulls: [pull], edge: {}, settled: null };
  shot.edit(
    [
      { op: "add", path: "/mattes/-", value: matte },
      { op: "replace", path: `${shot.planePath(plane.id)}/gate`, value: newGate(shot, id) },
    ],
    how === "seam" ? "find the seam" : "a soft shape",
  );
  if (desk.playback.frame < joinOf(plane)) desk.playback.go(joinOf(plane));
}

/** The plate stands still from the join on; or goes on again. */
export function freeze(desk: Desk, plane: Plane) {
  const { shot } = desk;
  const plates = shot.doc.planes.filter((one) => one.kind === "plate");
  const drop = isFrozen(desk, plane) ? 0 : shot.count - 1 - joinOf(plane);
  const ops = plates.flatMap((one): Op[] => [
    { op: "add", path: `${shot.planePath(one.id)}/time/drop`, value: drop },
    { op: "add", path: `${shot.planePath(one.id)}/time/ends`, value: "hold" },
  ]);
  shot.edit(ops, drop ? "freeze the first take" : "let the first take go on");
}

export function isFrozen(desk: Desk, plane: Plane): boolean {
  const plates = desk.shot.doc.planes.filter((one) => one.kind === "plate");
  const drop = desk.shot.count - 1 - joinOf(plane);
  return drop > 0 && plates.some((one) => Number(one.time.drop ?? 0) === drop);
}

export type Heard = "both" | "first" | "second";

/** What is heard: the first take until the join and the second after it, or one of them alone. */
export function hear(desk: Desk, plane: Plane, how: Heard) {
  const at = joinOf(plane);
  const until = (before: number, after: number) =>
    at === 0
      ? after
      : {
          keys: [
            { frame: 0, value: before, ease: "hold" },
            { frame: at, value: after, ease: "hold" },
          ],
        };
  const over = {
    under: String(plane.params.footage),
    under_offset: Number(plane.time.offset ?? 0),
  };
  const value = {
    first: { on: true, level: 0, under: null },
    second: { on: false, ...over, under_level: 0 },
    both: { on: true, level: until(0, SILENT), ...over, under_level: until(SILENT, 0) },
  }[how];
  desk.shot.edit(
    Object.entries(value).map(([name, one]) => ({ op: "add", path: `/sound/${name}`, value: one })),
    "sound of the takes",
  );
}

/** Which of these is heard now, as far as the sound names the take. */
export function heardNow(desk: Desk, plane: Plane): Heard | "" {
  const { sound } = desk.shot.doc;
  if (!sound.under) return sound.on ? "first" : "";
  if (sound.under !== String(plane.params.footage)) return "";
  return sound.on ? "both" : "second";
}
