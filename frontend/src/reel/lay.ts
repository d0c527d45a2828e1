/** Laying shots, or footage, into a reel. */
import { api } from "../lib/api";
import type { Laying } from "../lib/api-types";
import type { Desk } from "../desk/desk.svelte";
import { layIn } from "../lib/reel";

/** What is dragged onto the sheet: a shot or footage, as `Laying`. */
export const LAID = "application/x-cuvrel-laying";

/** Lays a shot in before the piece of a number; of footage a bare shot is made. */
export async function layShot(desk: Desk, what: Laying, at: number): Promise<void> {
  const project = desk.shot.about.project;
  const found = await api.laying(project, what);
  const reel = desk.shot.reel!;
  const id = desk.shot.freshId("p");
  const ops = layIn(
    reel,
    found.entry,
    [found.first, found.last],
    Math.min(at, reel.pieces.length),
    id,
  );
  desk.shot.edit(ops, `lay ${found.name} in`);
  desk.selection.thing = { kind: "piece", id };
}

/** Lays several in at the end, in order. */
export async function layAll(desk: Desk, shots: number[]): Promise<void> {
  for (const shot of shots) await layShot(desk, { shot }, desk.shot.reel!.pieces.length);
}
