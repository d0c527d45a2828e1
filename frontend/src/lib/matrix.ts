/** Motions between places: nine numbers of a (3, 3) matrix, row by row. */
import type { Point } from "./shapes";

export type Matrix = number[];

export const STILL: Matrix = [1, 0, 0, 0, 1, 0, 0, 0, 1];

export function apply(m: Matrix, [x, y]: Point): Point {
  const depth = m[6] * x + m[7] * y + m[8];
  return [(m[0] * x + m[1] * y + m[2]) / depth, (m[3] * x + m[4] * y + m[5]) / depth];
}

export function inverse(m: Matrix): Matrix {
  const [a, b, c, d, e, f, g, h, i] = m;
  const det = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g);
  return [
    e * i - f * h, c * h - b * i, b * f - c * e,
    f * g - d * i, a * i - c * g, c * d - a * f,
    d * h - e * g, b * g - a * h, a * e - b * d,
  ].map((n) => n / det); // prettier-ignore
}

/** How much larger something small at a place becomes. */
export function growth(m: Matrix, at: Point): number {
  const [x, y] = apply(m, at);
  const [u, v] = apply(m, [at[0] + 1, at[1]]);
  const [s, t] = apply(m, [at[0], at[1] + 1]);
  return Math.sqrt(Math.abs((u - x) * (t - y) - (v - y) * (s - x)));
}
