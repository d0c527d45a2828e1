/** Placements as the server works them out (see core/stand/placement.py). Plate pixels; positions from the middle. */
import type { Footage, Plane, Shot } from "./api-types";
import type { Point } from "./shapes";
import { valueAt, type Env } from "./values";

export const PLACED = {
  x: 0, y: 0, scale: 100, stretch: 100, angle: 0, depth: 0, tilt: 0, swing: 0,
  anchor_x: 0, anchor_y: 0, flip_x: false, flip_y: false,
}; // prettier-ignore
export type Placed = typeof PLACED;

export function placedAt(plane: Plane, env: Env): Placed {
  const out = { ...PLACED } as Record<string, number | boolean>;
  for (const name of Object.keys(PLACED))
    if (plane.placement[name] !== undefined)
      out[name] = valueAt(plane.placement[name], env) as number | boolean;
  return out as Placed;
}

const radians = (degrees: number) => (degrees * Math.PI) / 180;

/** The frame's point, from its middle, at which a point of the picture lies. */
export function placeOf(v: Placed, width: number, [px, py]: Point): Point {
  const size = v.scale / 100;
  const wide = ((size * v.stretch) / 100) * (v.flip_x ? -1 : 1);
  const high = size * (v.flip_y ? -1 : 1);
  const [x, y] = [(px - v.anchor_x) * wide, (py - v.anchor_y) * high];
  const [turn, tilt, swing] = [v.angle, v.tilt, v.swing].map(radians);
  const [a, b] = [x * Math.cos(turn) - y * Math.sin(turn), x * Math.sin(turn) + y * Math.cos(turn)];
  const [c, d] = [b * Math.cos(tilt), -b * Math.sin(tilt)];
  const [e, f] = [
    a * Math.cos(swing) - d * Math.sin(swing),
    a * Math.sin(swing) + d * Math.cos(swing),
  ];
  const away = 1.5 * width;
  const depth = Math.max(v.depth * width, -0.99 * away) + f + away;
  return [(away * (e + v.anchor_x + v.x)) / depth, (away * (c + v.anchor_y + v.y)) / depth];
}

/** The size of a plane's picture before it is placed. */
export function ownSize(plane: Plane, doc: Shot): [number, number] {
  const by = (id: unknown): Footage | undefined => doc.footage.find((one) => one.id === id);
  const plate = by(doc.plate)!;
  const own =
    plane.kind !== "group" && plane.kind !== "line" ? by(plane.params.footage) : undefined;
  if (!own) return [plate.width, plate.height];
  const [across, down] = [plate.width / own.width, plate.height / own.height];
  const fit = (plane.params.fit as string | undefined) ?? "cover";
  if (fit === "stretch") return [plate.width, plate.height];
  const by_ =
    fit === "cover" ? Math.max(across, down) : fit === "contain" ? Math.min(across, down) : 1;
  return [own.width * by_, own.height * by_];
}
