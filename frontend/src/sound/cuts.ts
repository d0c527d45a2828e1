/** Marks of cuts: which one is where, and what changes them. */
import type { Op } from "../lib/api";
import type { Cut } from "../lib/api-types";

/** The cut that begins on a frame, or the mix that it lies in, by its place. */
export function placeOf(cuts: Cut[], frame: number): number | null {
  const at = cuts.findIndex((cut) =>
    cut.to == null ? cut.frame === frame : cut.frame <= frame && frame <= cut.to,
  );
  return at < 0 ? null : at;
}

/** Puts a cut in the place of another one (or of none), in order; without one it goes. */
export function cutOps(cuts: Cut[], place: number | null, cut: Cut | null): Op[] {
  const rest = cuts.filter((one, n) => n !== place && one.frame !== cut?.frame);
  const value = cut ? [...rest, cut].sort((a, b) => a.frame - b.frame) : rest;
  return [{ op: "replace", path: "/cuts", value }];
}

/** A cut moved to a frame; a mix keeps its length. */
export function moved(cut: Cut, frame: number, count: number): Cut {
  const long = cut.to == null ? 0 : cut.to - cut.frame;
  const at = Math.max(1, Math.min(count - 1 - long, frame));
  return { frame: at, to: cut.to == null ? null : at + long };
}
