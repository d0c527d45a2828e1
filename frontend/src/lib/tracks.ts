/** Tracks: what a hand sets on a frame, and where they are on it. */
import type { Op } from "./api";
import type { PathOut, Track } from "./api-types";
import { apply, STILL, type Matrix } from "./matrix";
import type { Point } from "./shapes";

export type TrackKind = Track["kind"];

/** What a touch places, on the frame of reference: the point, the box about the outline, or the corners. */
export function boxOf(track: Track): Point[] {
  const points = track.points as Point[];
  if (track.kind !== "region") return points;
  const [xs, ys] = [points.map((p) => p[0]), points.map((p) => p[1])];
  const [left, right] = [Math.min(...xs), Math.max(...xs)];
  const [top, bottom] = [Math.min(...ys), Math.max(...ys)];
  return [
    [left, top],
    [right, top],
    [right, bottom],
    [left, bottom],
  ];
}

/** The middle of places: the mean of them. */
export const middleOf = (places: Point[]): Point => [
  places.reduce((sum, p) => sum + p[0], 0) / places.length,
  places.reduce((sum, p) => sum + p[1], 0) / places.length,
];

export function touched(track: Track, frame: number): boolean {
  return track.frame === frame || track.touches.some((one) => one.frame === frame);
}

/** How a track has moved on a frame since its frame of reference, as far as it is known. */
export const sinceOf = (path: PathOut | undefined, frame: number): Matrix =>
  path?.since[Math.min(frame, path.since.length - 1)] ?? STILL;

/** What a touch places, on a frame: where the hand put it, or where it was measured. */
export function placeOn(track: Track, path: PathOut | undefined, frame: number): Point[] {
  if (track.kind === "camera") return [];
  if (track.frame === frame) return boxOf(track);
  const touch = track.touches.find((one) => one.frame === frame);
  if (touch) return touch.points as Point[];
  return boxOf(track).map((p) => apply(sinceOf(path, frame), p));
}

/** The outline of a region on a frame, moved as its box was. */
export function outlineOn(track: Track, box: Point[]): Point[] {
  return (track.points as Point[]).map((p) => alike(boxOf(track), box, p));
}

/** A point as four places went to four others that are similar to them. */
function alike(from: Point[], to: Point[], [x, y]: Point): Point {
  const [dx, dy] = [from[1][0] - from[0][0], from[1][1] - from[0][1]];
  const [ex, ey] = [to[1][0] - to[0][0], to[1][1] - to[0][1]];
  const long = dx * dx + dy * dy || 1;
  const [c, s] = [(dx * ex + dy * ey) / long, (dx * ey - dy * ex) / long];
  const [u, v] = [x - from[0][0], y - from[0][1]];
  return [to[0][0] + c * u - s * v, to[0][1] + s * u + c * v];
}

const round = ([x, y]: Point): Point => [Math.round(x * 100) / 100, Math.round(y * 100) / 100];

/** The operations that put a track somewhere on a frame: a touch, or on its own frame what it is marked by. */
export function putOps(track: Track, path: string, frame: number, places: Point[]): Op[] {
  const points = places.map(round);
  if (frame === track.frame) {
    const value = track.kind === "region" ? outlineOn(track, points).map(round) : points;
    return [{ op: "replace", path: `${path}/points`, value }];
  }
  const rest = track.touches.filter((one) => one.frame !== frame);
  const touches = [...rest, { frame, points }].sort((a, b) => a.frame - b.frame);
  return [{ op: "replace", path: `${path}/touches`, value: touches }];
}

/** What a track looks like when it begins, on a frame. */
export function newTrack(
  id: string,
  name: string,
  kind: TrackKind,
  frame: number,
  points: Point[],
): Track {
  return {
    id,
    name,
    kind,
    frame,
    points: points.map(round),
    touches: [],
    less: [],
    more: [],
    params: {},
    space: null,
  };
}

/** What a ride begins as, by what it rides on. */
export const howOf = (kind: TrackKind) =>
  kind === "point" || kind === "camera"
    ? ("position" as const)
    : kind === "region"
      ? ("position, size and turn" as const)
      : ("perspective" as const);
