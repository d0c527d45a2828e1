/** What rides: shapes as they are where tracks take them (see core/pulls/outline.py), and rides that begin. */
import type { Riding, Shape, ShapeKey, Track } from "./api-types";
import { apply, growth, STILL, type Matrix } from "./matrix";
import { pointed, type Point } from "./shapes";
import { howOf } from "./tracks";

export type Moved = (riding: Riding) => Matrix | null;

/** A ride as it begins on a frame. */
export const begun = (track: Track, frame: number): Riding => ({
  track: track.id,
  frame,
  how: howOf(track.kind),
  smooth: 0,
  still: false,
  widen: 0,
  place: null,
  facing: null,
});

/** How a shape is moved, or a point of it. */
export function wayOf(shape: Shape, moved: Moved, point: number | null = null): Matrix {
  const mine = point !== null && shape.rides.find((ride) => ride.only.includes(point));
  const ride = mine || shape.rides.find((one) => !one.only.length);
  return (ride && moved(ride)) || STILL;
}

const SIDES = 64;

/** A shape and its key as it lies where it rides to; an ellipse or a box in perspective is a polygon. */
export function ridden(shape: Shape, key: ShapeKey, moved: Moved): [Shape, ShapeKey] {
  if (!shape.rides.length) return [shape, key];
  if (pointed(shape)) {
    const points = key.points.map((point, n) => {
      const way = wayOf(shape, moved, n);
      const [x, y] = apply(way, [point.x, point.y]);
      const size = growth(way, [point.x, point.y]);
      return { ...point, x, y, inner: point.inner * size, outer: point.outer * size };
    });
    return [shape, { ...key, points }];
  }
  const way = wayOf(shape, moved);
  const size = Math.hypot(way[0], way[3]);
  if (shape.rides[0].how !== "perspective") {
    const [x, y] = apply(way, [key.x, key.y]);
    const angle = key.angle + (Math.atan2(way[3], way[0]) * 180) / Math.PI;
    const sizes = Object.fromEntries(
      (["width", "height", "inner", "outer"] as const).map((name) => [name, key[name] * size]),
    );
    return [shape, { ...key, ...sizes, x, y, angle }];
  }
  const turn = (key.angle * Math.PI) / 180;
  const points = around(shape.kind === "box").map(([u, v]) => {
    const [dx, dy] = [(u * key.width) / 2, (v * key.height) / 2];
    const at: Point = [
      key.x + dx * Math.cos(turn) - dy * Math.sin(turn),
      key.y + dx * Math.sin(turn) + dy * Math.cos(turn),
    ];
    const [x, y] = apply(way, at);
    const grows = growth(way, at);
    return { x, y, inner: key.inner * grows, outer: key.outer * grows, corner: false };
  });
  return [
    { ...shape, kind: "polygon" },
    { ...key, points },
  ];
}

function around(box: boolean): Point[] {
  if (box)
    return [
      [-1, -1],
      [1, -1],
      [1, 1],
      [-1, 1],
    ];
  return Array.from({ length: SIDES }, (_, n): Point => {
    const t = (n / SIDES) * 2 * Math.PI;
    return [Math.cos(t), Math.sin(t)];
  });
}
