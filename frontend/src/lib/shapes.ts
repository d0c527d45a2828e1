/** Drawn shapes: their outline at a frame, as the server has it (core/recipe/shapes.py, core/pulls/outline.py). */
import type { Shape, ShapeKey, ShapePoint } from "./api-types";

export type Point = [number, number];
export const FRAMED = ["x", "y", "width", "height", "angle", "round", "inner", "outer"] as const;

const ARROWS: Record<string, Point> = {
  ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1],
}; // prettier-ignore

/** How far an arrow key moves what is focused: a pixel, with Shift ten, with Alt a tenth; the event is used up. */
export function nudge(event: KeyboardEvent): Point | null {
  const step = ARROWS[event.key];
  if (!step) return null;
  event.preventDefault();
  event.stopPropagation();
  const by = event.shiftKey ? 10 : event.altKey ? 0.1 : 1;
  return [step[0] * by, step[1] * by];
}

export function pointed(shape: Shape): boolean {
  return !["ellipse", "box"].includes(shape.kind);
}

function eased(ease: ShapeKey["ease"], t: number): number {
  return ease === "hold" ? 0 : ease === "smooth" ? t * t * (3 - 2 * t) : t;
}

/** The shape at a frame, as a key of its own. */
export function shapeAt(shape: Shape, frame: number): ShapeKey {
  const keys = shape.keys;
  if (!keys.some((key) => key.only.length)) return among(keys, frame);
  // points that have the same keys about them go together, as a shape of their own
  const together = new Map<string, number[]>();
  keys[0].points.forEach((_, n) => {
    const mine = keys.flatMap((key, i) => (!key.only.length || key.only.includes(n) ? [i] : []));
    const name = (mine.length ? mine : [0]).join();
    together.set(name, [...(together.get(name) ?? []), n]);
  });
  const points: ShapePoint[] = [];
  for (const [name, chosen] of together) {
    const part = name
      .split(",")
      .map((i) => keys[Number(i)])
      .map((key) => ({ ...key, points: chosen.map((n) => key.points[n]) }));
    among(part, frame).points.forEach((point, i) => (points[chosen[i]] = point));
  }
  return { ...keys[0], points, only: [] };
}

function among(keys: ShapeKey[], frame: number): ShapeKey {
  if (frame <= keys[0].frame) return keys[0];
  for (let i = 0; i + 1 < keys.length; i++) {
    const [left, right] = [keys[i], keys[i + 1]];
    if (frame < right.frame)
      return between(
        left,
        right,
        eased(left.ease, (frame - left.frame) / (right.frame - left.frame)),
      );
  }
  return keys[keys.length - 1];
}

function between(a: ShapeKey, b: ShapeKey, t: number): ShapeKey {
  if (t <= 0 || t >= 1) return t <= 0 ? a : b;
  const values = Object.fromEntries(FRAMED.map((n) => [n, a[n] + (b[n] - a[n]) * t]));
  if (!a.points.length) return { ...a, ...values };
  return { ...a, width: a.width + (b.width - a.width) * t, points: moved(a.points, b.points, t) };
}

/** By the turn, growth and shift that bring one outline closest to the other; the rest is added evenly. */
function moved(a: ShapePoint[], b: ShapePoint[], t: number): ShapePoint[] {
  const [ax, ay, bx, by] = [middle(a, "x"), middle(a, "y"), middle(b, "x"), middle(b, "y")];
  let [re, im, size] = [0, 0, 0];
  a.forEach((p, i) => {
    const [x, y, u, v] = [p.x - ax, p.y - ay, b[i].x - bx, b[i].y - by];
    re += x * u + y * v;
    im += x * v - y * u;
    size += x * x + y * y;
  });
  [re, im] = size > 1e-9 ? [re / size, im / size] : [1, 0];
  const grown = Math.hypot(re, im);
  const plain = grown < 1e-3;
  const turn = Math.atan2(im, re) * t;
  const growth = plain ? 1 : grown ** t;
  const [c, s] = [growth * Math.cos(turn), growth * Math.sin(turn)];
  return a.map((p, i) => {
    const q = b[i];
    const soft = {
      inner: p.inner + (q.inner - p.inner) * t,
      outer: p.outer + (q.outer - p.outer) * t,
      corner: p.corner,
    };
    if (plain) return { x: p.x + (q.x - p.x) * t, y: p.y + (q.y - p.y) * t, ...soft };
    const [x, y, u, v] = [p.x - ax, p.y - ay, q.x - bx, q.y - by];
    // what is left over once the turn and growth are taken back
    const back = grown * grown;
    const [rx, ry] = [(u * re + v * im) / back - x, (v * re - u * im) / back - y];
    const [zx, zy] = [x + t * rx, y + t * ry];
    return {
      x: c * zx - s * zy + ax + (bx - ax) * t,
      y: s * zx + c * zy + ay + (by - ay) * t,
      ...soft,
    };
  });
}

function middle(points: ShapePoint[], axis: "x" | "y"): number {
  return points.reduce((sum, p) => sum + p[axis], 0) / points.length;
}

/** Each point's handles towards the next and the previous one. */
export function handles(points: ShapePoint[]): { forth: Point; back: Point }[] {
  const n = points.length;
  return points.map((p, i) => {
    const [a, b] = [points[(i + 1) % n], points[(i + n - 1) % n]];
    const long = Math.max(Math.hypot(a.x - b.x, a.y - b.y), 1e-9);
    const [dx, dy] = p.corner ? [0, 0] : [(a.x - b.x) / long, (a.y - b.y) / long];
    const [f, k] = [Math.hypot(a.x - p.x, a.y - p.y) / 3, Math.hypot(p.x - b.x, p.y - b.y) / 3];
    return { forth: [p.x + dx * f, p.y + dy * f], back: [p.x - dx * k, p.y - dy * k] };
  });
}

/** The drawn line as an SVG path, and the line of each softness where there is any. */
export function outlines(shape: Shape, key: ShapeKey): { line: string; soft: string[] } {
  if (!pointed(shape)) {
    const soft = [-key.inner, key.outer].filter((by) => Math.abs(by) > 0.01);
    return {
      line: framed(shape, key, 0),
      soft: soft.map((by) => framed(shape, key, by)),
    };
  }
  const line = path(shape, key.points);
  if (shape.kind === "line") return { line, soft: [] };
  const soft = (["inner", "outer"] as const)
    .filter((side) => key.points.some((p) => p[side] > 0.01))
    .map((side) => path(shape, offset(key.points, side)));
  return { line, soft };
}

function path(shape: Shape, points: ShapePoint[]): string {
  const n = points.length;
  const f = (v: number) => v.toFixed(2);
  if (shape.kind === "polygon")
    return "M" + points.map((p) => `${f(p.x)} ${f(p.y)}`).join("L") + "Z";
  // an open line bends as if it went there and came back by the same points
  const open = shape.kind === "line";
  const bend = handles(open ? [...points, ...points.slice(1, -1).reverse()] : points);
  return (
    `M${f(points[0].x)} ${f(points[0].y)}` +
    points
      .slice(0, open ? -1 : undefined)
      .map((_, i) => {
        const to = points[(i + 1) % n];
        const [a, b] = [bend[i].forth, bend[open ? i + 1 : (i + 1) % n].back];
        return `C${f(a[0])} ${f(a[1])} ${f(b[0])} ${f(b[1])} ${f(to.x)} ${f(to.y)}`;
      })
      .join("") +
    (open ? "" : "Z")
  );
}

/** The points moved to one side of the outline, each by its softness there. */
function offset(points: ShapePoint[], side: "inner" | "outer"): ShapePoint[] {
  const n = points.length;
  const area = points.reduce((sum, p, i) => {
    const q = points[(i + 1) % n];
    return sum + p.x * q.y - q.x * p.y;
  }, 0);
  const way = (area > 0 ? 1 : -1) * (side === "outer" ? 1 : -1);
  return points.map((p, i) => {
    const [a, b] = [points[(i + 1) % n], points[(i + n - 1) % n]];
    const [dx, dy] = [a.x - b.x, a.y - b.y];
    const long = Math.max(Math.hypot(dx, dy), 1e-9);
    return { ...p, x: p.x + ((way * dy) / long) * p[side], y: p.y - ((way * dx) / long) * p[side] };
  });
}

function framed(shape: Shape, key: ShapeKey, by: number): string {
  const a = Math.max(0.01, key.width / 2 + by);
  const b = Math.max(0.01, key.height / 2 + by);
  const at = (x: number, y: number) => {
    const [px, py] = place(key, [x, y]);
    return `${px.toFixed(2)} ${py.toFixed(2)}`;
  };
  const arc = (rx: number, ry: number, x: number, y: number) =>
    `A${rx} ${ry} ${key.angle} 0 1 ${at(x, y)}`;
  if (shape.kind === "ellipse") return `M${at(-a, 0)}${arc(a, b, a, 0)}${arc(a, b, -a, 0)}Z`;
  const r = Math.max(0, key.round * Math.min(key.width, key.height) * 0.5 + (key.round ? by : 0));
  if (r < 0.01) return `M${at(-a, -b)}L${at(a, -b)}L${at(a, b)}L${at(-a, b)}Z`;
  return (
    `M${at(-a + r, -b)}L${at(a - r, -b)}${arc(r, r, a, -b + r)}L${at(a, b - r)}${arc(r, r, a - r, b)}` +
    `L${at(-a + r, b)}${arc(r, r, -a, b - r)}L${at(-a, -b + r)}${arc(r, r, -a + r, -b)}Z`
  );
}

/** From an ellipse's or a box's own axes to the plate. */
export function place(key: ShapeKey, [x, y]: Point): Point {
  const turn = (key.angle * Math.PI) / 180;
  const [c, s] = [Math.cos(turn), Math.sin(turn)];
  return [key.x + c * x - s * y, key.y + s * x + c * y];
}

/** And back. */
export function own(key: ShapeKey, [x, y]: Point): Point {
  const turn = (key.angle * Math.PI) / 180;
  const [c, s] = [Math.cos(turn), Math.sin(turn)];
  const [dx, dy] = [x - key.x, y - key.y];
  return [c * dx + s * dy, -s * dx + c * dy];
}
