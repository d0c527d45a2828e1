/** What is done about riding from more than one place: beginning a ride, writing it as keys, making keys a track. */
import { api, type Op } from "../lib/api";
import type { Riding, Track } from "../lib/api-types";
import { asking } from "../lib/asking.svelte";
import { notes } from "../lib/notes.svelte";
import { begun } from "../lib/riding";
import type { Desk } from "./desk.svelte";

/** Asks on the picture which track something is to ride on. */
export function askRide(desk: Desk, name: string, take: (riding: Riding) => void): void {
  if (!desk.shot.doc.tracks.length)
    return notes.add("There is no track yet.", "Add one under Tracks, on the right.");
  desk.playback.stop();
  desk.riding = {
    name,
    take: (track, place) => take({ ...begun(track, desk.playback.frame), ...place }),
  };
}

async function done(desk: Desk, body: Parameters<typeof api.ride>[1]): Promise<boolean> {
  try {
    await desk.shot.settled();
    const found = await api.ride(desk.shot.id, body);
    desk.shot.edit(found.ops as Op[], found.label);
    return true;
  } catch (error) {
    notes.fault(error);
    return false;
  }
}

/** Writes the ride at a place of the document as keyframes. */
export const bakeRide = (desk: Desk, path: string) => done(desk, { kind: "bake", path, ident: "" });

/** Makes a track of the keyframes of a shape, a plane's placement or a place. */
export async function trackOfKeys(desk: Desk, path: string): Promise<void> {
  const ident = desk.shot.freshId("r");
  if (await done(desk, { kind: "track", path, ident }))
    desk.selection.thing = { kind: "track", id: ident };
}

/** Takes a track away; where something rides on it, says what, and asks. */
export async function removeTrack(desk: Desk, track: Track): Promise<void> {
  try {
    await desk.shot.settled();
    const found = await api.ride(desk.shot.id, { kind: "remove", path: "", ident: track.id });
    const riders = found.said ?? [];
    const detail = `${riders.join("; ")}. What rides stays where it is drawn without it.`;
    if (riders.length && !(await asking.sure(`${track.name} is ridden on`, detail, "Remove")))
      return;
    desk.shot.edit(found.ops as Op[], found.label);
    if (desk.selection.is("track", track.id)) desk.selection.thing = null;
  } catch (error) {
    notes.fault(error);
  }
}
