/** Changes of drawn shapes: each gives a new shape. */
import type { Shape, ShapeKey, ShapePoint } from "./api-types";
import { FRAMED, handles, pointed, shapeAt } from "./shapes";

/** Whether a change sets a key on this frame, one for the changed points alone, or changes every key. */
export type Way = "frame" | "point" | "all";

/** The shape with `next` on this frame: as a key of it, or with every key changed by as much. */
export function changed(shape: Shape, frame: number, next: ShapeKey, way: Way): Shape {
  const now = shapeAt(shape, frame);
  if (way === "all") return { ...shape, keys: shape.keys.map((key) => shifted(key, now, next)) };
  const here = shape.keys.find((key) => key.frame === frame);
  const before = shape.keys.filter((key) => key.frame < frame).at(-1);
  const key = {
    ...next,
    frame,
    ease: here?.ease ?? before?.ease ?? ("linear" as const),
    only: [] as number[],
  };
  // a key that is for the whole shape stays so
  if (way === "point" && pointed(shape) && (!here || here.only.length)) {
    const moved = next.points.flatMap((p, n) =>
      JSON.stringify(p) === JSON.stringify(now.points[n]) ? [] : [n],
    );
    const only = [...new Set([...(here?.only ?? []), ...moved])].sort((a, b) => a - b);
    if (only.length < next.points.length) key.only = only;
  }
  const keys = [...shape.keys.filter((k) => k.frame !== frame), key];
  return { ...shape, keys: keys.sort((a, b) => a.frame - b.frame) };
}

function shifted(key: ShapeKey, from: ShapeKey, to: ShapeKey): ShapeKey {
  const out = { ...key };
  for (const name of FRAMED) out[name] = key[name] + to[name] - from[name];
  for (const name of ["width", "height", "inner", "outer"] as const)
    out[name] = Math.max(0, out[name]);
  out.round = Math.max(0, Math.min(1, out.round));
  out.points = key.points.map((p, i) => ({
    x: p.x + to.points[i].x - from.points[i].x,
    y: p.y + to.points[i].y - from.points[i].y,
    inner: Math.max(0, p.inner + to.points[i].inner - from.points[i].inner),
    outer: Math.max(0, p.outer + to.points[i].outer - from.points[i].outer),
    corner: to.points[i].corner,
  }));
  return out;
}

/** Another point behind the i-th one, half-way to the next, on every key. */
export function withPoint(shape: Shape, i: number): Shape {
  return {
    ...shape,
    keys: shape.keys.map((key) => {
      const n = key.points.length;
      const [a, b] = [key.points[i], key.points[(i + 1) % n]];
      const bend = handles(key.points);
      const [f, k] = [bend[i].forth, bend[(i + 1) % n].back];
      const curve = shape.kind === "curve";
      const mid = (p: number, q: number, r: number, s: number) => (p + 3 * q + 3 * r + s) / 8;
      const point: ShapePoint = {
        x: curve ? mid(a.x, f[0], k[0], b.x) : (a.x + b.x) / 2,
        y: curve ? mid(a.y, f[1], k[1], b.y) : (a.y + b.y) / 2,
        inner: (a.inner + b.inner) / 2,
        outer: (a.outer + b.outer) / 2,
        corner: false,
      };
      const points = [...key.points.slice(0, i + 1), point, ...key.points.slice(i + 1)];
      return { ...key, points, only: key.only.map((k) => (k > i ? k + 1 : k)) };
    }),
  };
}

/** Without the i-th point, on every key; an outline keeps three, a line two. */
export function withoutPoint(shape: Shape, i: number): Shape {
  if (shape.keys[0].points.length <= (shape.kind === "line" ? 2 : 3)) return shape;
  return {
    ...shape,
    keys: shape.keys
      // a key for this point alone goes with it
      .filter((key) => key.only.length !== 1 || key.only[0] !== i)
      .map((key) => ({
        ...key,
        points: key.points.filter((_, n) => n !== i),
        only: key.only.filter((n) => n !== i).map((n) => (n > i ? n - 1 : n)),
      })),
  };
}

export function blankKey(frame: number): ShapeKey {
  return {
    frame, ease: "linear", points: [], x: 0, y: 0, width: 0, height: 0, angle: 0, round: 0, inner: 0, outer: 0, only: [],
  }; // prettier-ignore
}

/** The key as numbers of a length that a document should hold. */
export function rounded(key: ShapeKey): ShapeKey {
  const r = (v: number) => Math.round(v * 100) / 100;
  const out = { ...key };
  for (const name of FRAMED) out[name] = r(key[name]);
  out.points = key.points.map((p) => ({
    ...p,
    x: r(p.x),
    y: r(p.y),
    inner: r(p.inner),
    outer: r(p.outer),
  }));
  return out;
}
