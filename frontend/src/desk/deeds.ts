/** What is done to the work from more than one place: a key, a button, a menu. */
import { api } from "../lib/api";
import { notes } from "../lib/notes.svelte";
import type { Desk } from "./desk.svelte";

/** Follows from the frame shown; `from` another one when its shape is to be kept for the next frame. */
export async function follow(desk: Desk, step: 1 | -1, from: number | null = null): Promise<void> {
  const track = desk.selection.track;
  if (track) return followTracks(desk, [track.id], step);
  const pull = desk.selection.trace;
  if (!pull) return notes.add("There is no trace to follow.", "Select a matte that has one.");
  try {
    desk.shot.takeJob(
      await api.follow(desk.shot.id, pull.id, from ?? desk.playback.frame, step, from !== null),
    );
  } catch (error) {
    notes.fault(error);
  }
}

/** Follows tracks from the frame shown; step 0 is all of them, from each touched frame. to: no further than a frame. */
export async function followTracks(
  desk: Desk,
  tracks: string[],
  step: 1 | -1 | 0,
  to: number | null = null,
): Promise<void> {
  try {
    await desk.shot.settled();
    desk.shot.takeJob(
      await api.track(desk.shot.id, { tracks, start: desk.playback.frame, step, to }),
    );
  } catch (error) {
    notes.fault(error);
  }
}

/** Settles the matte that is shown, or brings its live recipe back. */
export async function settle(desk: Desk, again = false): Promise<void> {
  const matte = desk.shot.matte(desk.selection.matteId);
  if (!matte) return notes.add("There is no matte to settle.");
  if (matte.settled && !again) {
    const path = `${desk.shot.mattePath(matte.id)}/settled`;
    return desk.shot.edit([{ op: "replace", path, value: null }], `unsettle ${matte.name}`);
  }
  try {
    desk.shot.takeJob(await api.settle(desk.shot.id, matte.id));
  } catch (error) {
    notes.fault(error);
  }
}

/** The frames of the chosen set of keys, or of all. */
function keySpan(desk: Desk): { first: number; last: number } {
  const [first, last] = desk.span ?? [0, desk.shot.count - 1];
  return { first, last };
}

export function onKeys(desk: Desk, kind: "reverse" | "remove"): void {
  if (desk.selection.place) void desk.shot.deed(kind, [desk.selection.place], keySpan(desk));
}

/** Copies the keys of all values of what is selected. */
export async function copyKeys(desk: Desk): Promise<void> {
  if (!desk.selection.place) return;
  const { first, last } = keySpan(desk);
  try {
    desk.clips = (await api.copied(desk.shot.id, [desk.selection.place], first, last)).clips;
    const many = desk.clips.reduce((sum, clip) => sum + clip.keys.length, 0);
    notes.add(`${many} keyframes copied.`, "Ctrl V lays them from the frame shown on.");
  } catch (error) {
    notes.fault(error);
  }
}

export function escape(desk: Desk): void {
  if (desk.riding) desk.riding = null;
  else if (desk.shelf) desk.shelf = null;
  else if (desk.slide !== "none") desk.slide = "none";
  else if (desk.shot.following) void api.stop(desk.shot.following.id).catch(notes.fault);
  else if (desk.span) desk.span = null;
  else desk.playback.loop = null;
}
