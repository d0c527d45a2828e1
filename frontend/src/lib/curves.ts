/** Curves through points and ramps of colours, read as the server does (see core/recipe/curves.py). */

export type Rows = number[][];

/** A curve's height at x: through all points, monotone between two, held beyond the ends. */
export function curveAt(points: Rows, x: number): number {
  const n = points.length;
  if (n === 1) return points[0][1];
  const here = Math.max(points[0][0], Math.min(points[n - 1][0], x));
  let i = points.findLastIndex((p) => p[0] <= here);
  i = Math.max(0, Math.min(n - 2, i));
  const [[x0, y0], [x1, y1]] = [points[i], points[i + 1]];
  const width = x1 - x0;
  const t = (here - x0) / width;
  const [a, b] = [tangent(points, i), tangent(points, i + 1)];
  return (
    y0 * (1 + 2 * t) * (1 - t) ** 2 +
    width * a * t * (1 - t) ** 2 +
    y1 * t * t * (3 - 2 * t) +
    width * b * t * t * (t - 1)
  );
}

function tangent(points: Rows, i: number): number {
  const slope = (k: number) =>
    (points[k + 1][1] - points[k][1]) / (points[k + 1][0] - points[k][0]);
  if (i === 0) return slope(0);
  if (i === points.length - 1) return slope(i - 1);
  const [before, after] = [slope(i - 1), slope(i)];
  if (before * after <= 0) return 0;
  const [left, right] = [points[i][0] - points[i - 1][0], points[i + 1][0] - points[i][0]];
  const weight = (left + 2 * right) / (3 * (left + right));
  return (before * after) / (weight * after + (1 - weight) * before);
}

/** A ramp's colour at x; straight between two stops. */
export function rampAt(stops: Rows, x: number): number[] {
  const i = stops.findLastIndex((stop) => stop[0] <= x);
  if (i < 0) return stops[0].slice(1);
  if (i === stops.length - 1) return stops[i].slice(1);
  const [left, right] = [stops[i], stops[i + 1]];
  const t = (x - left[0]) / (right[0] - left[0]);
  return left.slice(1).map((v, k) => v + (right[k + 1] - v) * t);
}

/** A curve or a ramp on its way to another one. */
export function between(left: Rows, right: Rows, share: number): Rows {
  let [a, b] = [left, right];
  if (a.length !== b.length) {
    const places = [...new Set([...a, ...b].map((row) => row[0]))].sort((x, y) => x - y);
    const read = (rows: Rows) =>
      places.map((x) => [x, ...(rows[0].length === 2 ? [curveAt(rows, x)] : rampAt(rows, x))]);
    [a, b] = [read(a), read(b)];
  }
  return a.map((row, i) => row.map((v, k) => v + (b[i][k] - v) * share));
}
