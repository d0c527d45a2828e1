/** A solved camera's scene as the server works it out (see core/camera/lens.py and core/stand/cards.py). */
import type { Plane, SceneOut, Track } from "./api-types";
import type { Point } from "./shapes";
import { valueAt, type Env } from "./values";

export type Xyz = [number, number, number];
/** A camera on a frame: how the scene is turned before it, row by row, how it is shifted then, and its focal length. */
export type View = { turn: number[]; shift: Xyz; focal: number };
export type Space = NonNullable<Track["space"]>;

export const SPACE: Space = {
  origin: [0, 0, 0],
  up: [0, -1, 0],
  ahead: [0, 0, 1],
  size: 1,
  unit: "",
};

export const dot = (a: Xyz, b: Xyz) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
export const minus = (a: Xyz, b: Xyz): Xyz => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
export const along = (a: Xyz, b: Xyz, t: number): Xyz => [
  a[0] + b[0] * t,
  a[1] + b[1] * t,
  a[2] + b[2] * t,
];
export const cross = (a: Xyz, b: Xyz): Xyz => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
export const unit = (a: Xyz): Xyz => {
  const long = Math.hypot(...a) || 1;
  return [a[0] / long, a[1] / long, a[2] / long];
};

/** The camera on a frame, or on the nearest one that is known. */
export function viewOn(scene: SceneOut | undefined, frame: number): View | null {
  if (!scene?.solved) return null;
  const { views } = scene;
  for (let far = 0; far < views.length; far++)
    for (const n of [frame - far, frame + far]) {
      const row = views[n];
      if (row) return { turn: row.slice(0, 9), shift: row.slice(9, 12) as Xyz, focal: row[12] };
    }
  return null;
}

const rows = (turn: number[]): [Xyz, Xyz, Xyz] => [
  turn.slice(0, 3) as Xyz,
  turn.slice(3, 6) as Xyz,
  turn.slice(6, 9) as Xyz,
];

/** Where a place of the scene is seen, in plate pixels; null for what is behind the camera. */
export function seenAt(view: View, bend: number[], size: Point, place: Xyz): Point | null {
  const [x, y, z] = rows(view.turn).map((row, k) => dot(row, place) + view.shift[k]);
  if (z < 1e-6) return null;
  const [u, v] = [x / z, y / z];
  const r2 = u * u + v * v;
  const out = view.focal * (1 + (bend[0] ?? 0) * r2 + (bend[1] ?? 0) * r2 * r2);
  return [u * out + size[0] / 2, v * out + size[1] / 2];
}

export function eyeOf(view: View): Xyz {
  const [a, b, c] = rows(view.turn);
  return [0, 1, 2].map((k) => -(a[k] * view.shift[0] + b[k] * view.shift[1] + c[k] * view.shift[2])) as Xyz; // prettier-ignore
}

/** The way in the scene in which a pixel looks. */
export function rayOf(view: View, bend: number[], size: Point, [x, y]: Point): Xyz {
  const seen = [(x - size[0] / 2) / view.focal, (y - size[1] / 2) / view.focal];
  let [u, v] = seen;
  for (let n = 0; n < 12; n++) {
    const r2 = u * u + v * v;
    const push = 1 + (bend[0] ?? 0) * r2 + (bend[1] ?? 0) * r2 * r2;
    [u, v] = [seen[0] / push, seen[1] / push];
  }
  const [a, b, c] = rows(view.turn);
  return [0, 1, 2].map((k) => a[k] * u + b[k] * v + c[k]) as Xyz;
}

/** How a hand laid the space out: right, up and ahead in the solved space. */
export function axesOf(space: Space | null | undefined): {
  right: Xyz;
  up: Xyz;
  ahead: Xyz;
  space: Space;
} {
  const s = space ?? SPACE;
  const up = unit(s.up as Xyz);
  const ahead = unit(along(s.ahead as Xyz, up, -dot(s.ahead as Xyz, up)));
  return { right: cross(ahead, up), up, ahead, space: s };
}
export type Axes = ReturnType<typeof axesOf>;

export function solvedOf(axes: Axes, [x, y, z]: Xyz): Xyz {
  const { right, up, ahead, space } = axes;
  return [0, 1, 2].map((k) => space.origin[k] + (right[k] * x + up[k] * y + ahead[k] * z) / space.size) as Xyz; // prettier-ignore
}

export function toldOf(axes: Axes, place: Xyz): Xyz {
  const off = minus(place, axes.space.origin as Xyz);
  return [axes.right, axes.up, axes.ahead].map((way) => dot(off, way) * axes.space.size) as Xyz;
}

export const CARD = {
  x: 0, y: 0, z: 0, width: 1, turn: 0, lean: 0, roll: 0, foot: true, face: "as it is turned",
  still: false, far: false,
}; // prettier-ignore
export type CardValues = typeof CARD;

export function cardAt(plane: Plane, env: Env): CardValues {
  const out = { ...CARD } as Record<string, unknown>;
  for (const name of Object.keys(CARD)) {
    const value = plane.card?.params[name];
    if (value !== undefined) out[name] = valueAt(value, env);
  }
  return out as CardValues;
}

const radians = (degrees: number) => (degrees * Math.PI) / 180;

/** Where a card's picture lies, in the hand's places: its middle, and where its whole width and height go. */
export function stoodAt(
  v: CardValues,
  eye: Xyz,
  shape: number,
): { middle: Xyz; across: Xyz; up: Xyz } {
  let turn = v.turn;
  if (v.face === "to the camera") turn += (Math.atan2(v.x - eye[0], v.z - eye[2]) * 180) / Math.PI;
  const spun = (way: Xyz): Xyz => {
    const [r, l, t] = [radians(-v.roll), radians(v.lean), radians(-turn)];
    let [x, y, z] = way;
    [x, y] = [x * Math.cos(r) - y * Math.sin(r), x * Math.sin(r) + y * Math.cos(r)];
    [y, z] = [y * Math.cos(l) - z * Math.sin(l), y * Math.sin(l) + z * Math.cos(l)];
    [x, z] = [x * Math.cos(t) - z * Math.sin(t), x * Math.sin(t) + z * Math.cos(t)];
    return [x, y, z];
  };
  const across = spun([v.width, 0, 0]);
  const up = spun([0, v.width * shape, 0]);
  const place: Xyz = [v.x, v.y, v.z];
  return { middle: v.foot ? along(place, up, 0.5) : place, across, up };
}

/** Up and origin by places of the ground: the plane that they lie about, seen from a camera above it. */
export function groundBy(places: Xyz[], eye: Xyz, space: Space): Space {
  const middle = [0, 1, 2].map((k) => places.reduce((s, p) => s + p[k], 0) / places.length) as Xyz;
  // the normal that the places vary least along: by the inverse power method on their spread
  const spread = [0, 1, 2].map((i) =>
    [0, 1, 2].map((j) => places.reduce((s, p) => s + (p[i] - middle[i]) * (p[j] - middle[j]), 0)),
  );
  let best: Xyz = [0, -1, 0];
  let least = Infinity;
  const size = spread[0][0] + spread[1][1] + spread[2][2] || 1;
  for (let n = 0; n < 400; n++) {
    // ways all over a half of the sphere, evenly (Fibonacci's spiral), and then about the best one
    const t = n < 200 ? null : (400 - n) / 400;
    const z = (n % 200) / 200;
    const [r, a] = [Math.sqrt(1 - z * z), n * 2.399963];
    const way: Xyz = t === null ? [r * Math.cos(a), z, r * Math.sin(a)] : along(best, [r * Math.cos(a), z, r * Math.sin(a)], 0.1 * t * t); // prettier-ignore
    const u = unit(way);
    const off = [0, 1, 2].reduce((s, i) => s + [0, 1, 2].reduce((q, j) => q + u[i] * spread[i][j] * u[j], 0), 0); // prettier-ignore
    if (off / size < least) [least, best] = [off / size, u];
  }
  const above = dot(minus(eye, middle), best) < 0 ? ([-best[0], -best[1], -best[2]] as Xyz) : best;
  return { ...space, up: above, origin: middle };
}
