/** What a new person does next; a step that was once taken is not named again in this browser. */
import type { Desk } from "../desk/desk.svelte";
import { follow } from "../desk/deeds";
import type { Matte, Pull } from "../lib/api-types";

export type Step = {
  id: "matte" | "plate" | "mark" | "follow" | "doubt" | "treat" | "export";
  says: string;
  /** What takes it, one press away. */
  deed?: { label: string; run: () => void };
};

/** Lets the machine look for the subject on the frame shown. */
export function find(desk: Desk, pull: Pull): void {
  const value = {
    id: desk.shot.freshId("k"),
    frame: desk.playback.seen,
    kind: "found",
    radius: 1,
    points: [],
    fill: false,
  };
  if (desk.view.mode === "result") desk.view.mode = "veil";
  desk.shot.edit(
    [{ op: "add", path: `${desk.selection.pullPath(pull.id)}/marks/-`, value }],
    "find the subject",
  );
}

/** Whether nothing in a matte can cover anything yet. */
function empty(matte: Matte): boolean {
  return matte.pulls.every((pull) =>
    pull.kind === "trace"
      ? !pull.marks.length
      : pull.kind === "shape"
        ? !pull.shapes.length
        : false,
  );
}

/** What a key by difference still needs, if the selected matte has one. */
function wantsPlate(matte: Matte): boolean {
  return matte.pulls.some((pull) => pull.kind === "difference_key" && !pull.params?.plate);
}

/** The first step that is not taken yet on this shot, or none: true to what is selected and to what is there. */
export function nextStep(desk: Desk): Step | null {
  const { shot } = desk;
  const doc = shot.doc;
  const treated = doc.planes.some((plane) => plane.kind !== "plate");
  if (!doc.mattes.length && !treated) return { id: "matte", says: "Add a matte for the subject." };
  const { thing } = desk.selection;
  const matte = thing?.kind === "matte" ? shot.matte(thing.id) : undefined;
  if (matte && wantsPlate(matte))
    return { id: "plate", says: "The difference key needs a clean plate: build it on its card." };
  const pull = desk.selection.trace;
  // whoever has laid planes already has gone another way, with another matte or with none
  if (pull && matte && !treated) {
    const stored = shot.frames.get(pull.id)?.size ?? 0;
    if (empty(matte))
      return {
        id: "mark",
        says: "Draw along the subject, or",
        deed: { label: "Find it", run: () => find(desk, pull) },
      };
    if (pull.marks.length && stored <= 1 && shot.count > 1)
      return {
        id: "follow",
        says: "Carry it through the shot:",
        deed: { label: "Follow on", run: () => void follow(desk, 1) },
      };
  }
  const doubts = desk.doubts(pull?.id);
  if (matte && doubts)
    return {
      id: "doubt",
      says: doubts === 1 ? "One frame is in doubt:" : `${doubts} frames are in doubt:`,
      deed: { label: "Look", run: () => desk.problem(1) },
    };
  if (!treated) {
    if (doc.mattes.every(empty))
      return { id: "mark", says: "Select the matte, and mark or key it." };
    return { id: "treat", says: "Treat it: add a plane (Shift+A)." };
  }
  if (!shot.jobs.some((job) => job.kind === "export"))
    return {
      id: "export",
      says: "Write it to a file:",
      deed: { label: "Choose how", run: () => (desk.slide = "exports") },
    };
  return null;
}

const KEY = "steps-known";

export function known(): Set<string> {
  return new Set((localStorage.getItem(KEY) ?? "").split(" "));
}

export function learn(id: string): void {
  localStorage.setItem(KEY, [...known().add(id)].join(" ").trim());
}
