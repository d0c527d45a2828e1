/** Standing planes in a camera's scene. */
import { api, type Op } from "../lib/api";
import type { Plane, Track } from "../lib/api-types";
import { notes } from "../lib/notes.svelte";
import { axesOf, eyeOf, minus, toldOf, viewOn, type Xyz } from "../lib/scene";
import type { Point } from "../lib/shapes";
import { newPlane } from "../stand/planes";
import { withValue } from "../lib/values";
import type { Desk } from "./desk.svelte";

export type How = "upright" | "on the ground" | "on the wall";
const SHARE = 0.25; // of the picture's width that a card takes up at first

/** The camera that something can stand in the scene of: the one it stands in, or the first that is solved. */
export const cameraFor = (desk: Desk, plane: Plane): Track | undefined =>
  desk.shot.track(plane.card?.track) ??
  desk.shot.doc.tracks.find((one) => desk.motions.scenes.get(one.id)?.solved);

/** Asks on the picture where a plane is to stand. */
export function askPlace(desk: Desk, plane: Plane, how: How): void {
  if (!cameraFor(desk, plane))
    return notes.add("There is no solved camera yet.", "Add one under Tracks, and solve it.");
  desk.playback.stop();
  desk.view.mode = "result";
  desk.standing = how;
  desk.tools.tool = "stand";
}

/** Adds a fill before all, and asks where it is to stand. */
export function addCard(desk: Desk): void {
  const { plane } = newPlane(desk.shot, "fill", null, desk.shot.doc.planes[0]);
  const value = { ...plane, name: free(desk), group: null };
  desk.shot.edit([{ op: "add", path: "/planes/0", value }], "add card");
  desk.selection.thing = { kind: "plane", id: plane.id };
  askPlace(desk, value, "upright");
}

function free(desk: Desk): string {
  const names = new Set(desk.shot.doc.planes.map((one) => one.name));
  let n = 1;
  while (names.has(n === 1 ? "Card" : `Card ${n}`)) n += 1;
  return n === 1 ? "Card" : `Card ${n}`;
}

/** Stands the selected plane where the picture was pressed. */
export async function standAt(desk: Desk, at: Point): Promise<void> {
  const { shot } = desk;
  const plane = desk.selection.plane;
  const track = plane && cameraFor(desk, plane);
  if (!plane || !track) return;
  const frame = desk.playback.seen;
  const how = desk.standing;
  desk.tools.tool = "arrow";
  try {
    await shot.settled();
    const found = await api.placeInScene(shot.id, track.id, frame, at);
    const scene = desk.motions.scenes.get(track.id);
    const view = viewOn(scene, frame);
    if (!view) return;
    const eye = toldOf(axesOf(track.space), eyeOf(view));
    const place = (how === "on the ground" && found.ground ? found.ground : found.told) as Xyz;
    const far = Math.hypot(...minus(place, eye));
    const values: Record<string, number | boolean> = { x: place[0], y: place[1], z: place[2] };
    const [nx, ny, nz] = found.faces as Xyz;
    if (how === "on the ground") Object.assign(values, { lean: 90, turn: 0, roll: 0, foot: false });
    else if (how === "on the wall") {
      const flat = Math.hypot(nx, nz);
      const lean = (Math.atan2(ny, flat) * 180) / Math.PI;
      Object.assign(values, { turn: degrees(Math.atan2(-nx, -nz)), lean, roll: 0, foot: false });
    } else {
      Object.assign(values, { turn: degrees(Math.atan2(place[0] - eye[0], place[2] - eye[2])), lean: 0, roll: 0, foot: true }); // prettier-ignore
    }
    if (!plane.card && staysInPicture(plane)) values.still = true;
    if (!plane.card) values.width = (far * SHARE * shot.about.plate.width) / view.focal;
    if (scene?.still) values.far = true;
    const rounded = Object.fromEntries(
      Object.entries(values).map(([name, value]) => {
        const plain = typeof value === "number" ? Math.round(value * 1000) / 1000 : value;
        return [name, plane.card ? withValue(plane.card.params[name] as never, frame, plain as never) : plain]; // prettier-ignore
      }),
    );
    const path = `${shot.planePath(plane.id)}/card`;
    const card = { track: track.id, params: { ...plane.card?.params, ...rounded } };
    shot.edit([{ op: "replace", path, value: card } as Op], `stand ${plane.name} in the scene`);
    if (found.doubt > 0.5)
      notes.add("It is not sure how far away that place is.", "Drag it where it belongs.");
  } catch (error) {
    notes.fault(error);
  }
}

const degrees = (radians: number) => (radians * 180) / Math.PI;

/** Lets a plane lie flat again. */
export function lieFlat(desk: Desk, plane: Plane): void {
  const path = `${desk.shot.planePath(plane.id)}/card`;
  desk.shot.edit([{ op: "replace", path, value: null }], `${plane.name} out of the scene`);
}

/** Lets a plane keep its place in the picture, and gives it one in the scene, for its shadow and its order. */
export const staysInPicture = (plane: Plane) => plane.kind === "cutout" || plane.kind === "plate";
