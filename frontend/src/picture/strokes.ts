/** Strokes of the pencil: thinning, and telling whether a point lies on one. */
import type { Mark } from "../lib/api-types";

export type Point = [number, number];

/** A line under way. */
export type Stroke = { kind: "in" | "out" | "near" | "drag"; fill: boolean; points: Point[] };

/** Leaves out points closer than `step` to the one before, but never the last; rounds to a tenth. */
export function thinned(points: Point[], step: number): Point[] {
  const found: Point[] = [];
  for (const [i, point] of points.entries()) {
    const last = found.at(-1);
    const far = !last || Math.hypot(point[0] - last[0], point[1] - last[1]) >= step;
    if (far || (i === points.length - 1 && found.length < 2)) found.push(point);
  }
  const end = points.at(-1)!;
  if (found.length > 1) found[found.length - 1] = end;
  return found.map(([x, y]) => [Math.round(x * 10) / 10, Math.round(y * 10) / 10]);
}

/** Whether the point lies on the mark, or within `slack` of it. */
export function touches(mark: Mark, point: Point, slack: number): boolean {
  const reach = mark.kind === "drag" ? slack : mark.radius + slack;
  const closed = mark.fill || mark.kind === "near";
  const points = closed ? [...mark.points, mark.points[0]] : mark.points;
  return points.some((a, i) => distance(point, a, points[i + 1] ?? a) <= reach);
}

function distance(p: Point, a: Point, b: Point): number {
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  const long = dx * dx + dy * dy;
  const t = long ? Math.max(0, Math.min(1, ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / long)) : 0;
  return Math.hypot(p[0] - a[0] - t * dx, p[1] - a[1] - t * dy);
}
