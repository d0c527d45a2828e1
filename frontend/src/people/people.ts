/** What a search for people and an audit tell, and mending what an audit found. */
import { api } from "../lib/api";
import type { JobOut, Shot } from "../lib/api-types";
import type { Desk } from "../desk/desk.svelte";

export type Somebody = {
  first: number;
  last: number;
  seen: number;
  frame: number;
  /** The first point of the track of their head; searches of earlier releases do not tell it. */
  head?: [number, number];
};

/** Whether a shape that covers somebody is there, and rides on the track of their head. */
export function isCovered(doc: Shot, one: Somebody): boolean {
  const { head } = one;
  if (!head) return false;
  const tracks = doc.tracks.filter(
    (track) =>
      track.frame === one.frame &&
      Math.hypot(track.points[0][0] - head[0], track.points[0][1] - head[1]) < 0.02,
  );
  const shapes = doc.mattes.flatMap((matte) => matte.pulls.flatMap((pull) => pull.shapes));
  return tracks.some((track) =>
    shapes.some((shape) => shape.rides.some((ride) => ride.track === track.id)),
  );
}
export type Finding = Somebody & { covered: number; person: number; accepted: string | null };

/** Covers what a finding shows, and looks again at the frames that this changes. */
export async function coverFinding(desk: Desk, audit: JobOut, place: number): Promise<void> {
  const { shot } = desk;
  await api.cover(shot.id, { job: audit.id, chosen: [place], others: false, how: desk.coverBy });
  desk.view.mode = "result";
  shot.takeJob(await api.audit(shot.id, { first: null, last: null, of: audit.id }));
}

/** The frames on which the newest audit found somebody exposed who was not accepted. */
export function exposedFrames(audit: JobOut | undefined): Set<number> {
  const out = new Set<number>();
  for (const one of (audit?.result.findings ?? []) as Finding[])
    if (!one.accepted) for (let n = one.first; n <= one.last; n++) out.add(n);
  return out;
}
