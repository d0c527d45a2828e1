/** What a new person does next; a step that was once taken is not named again in this browser. */
import type { Desk } from "../desk/desk.svelte";
import { follow } from "../desk/deeds";
import type { Pull } from "../lib/api-types";

export type Step = {
  id: "matte" | "mark" | "follow" | "treat" | "export";
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

/** The first step that is not taken yet on this shot, or none. */
export function nextStep(desk: Desk): Step | null {
  const { shot } = desk;
  const doc = shot.doc;
  if (!doc.mattes.length)
    return { id: "matte", says: "Add a matte on the right: it will hold the subject." };
  const pull = desk.selection.trace;
  if (pull && desk.selection.thing?.kind === "matte") {
    const stored = shot.frames.get(pull.id)?.size ?? 0;
    if (!pull.marks.length)
      return {
        id: "mark",
        says: "Draw along the subject, then around it (O), or",
        deed: { label: "Find the subject", run: () => find(desk, pull) },
      };
    if (stored <= 1 && shot.count > 1)
      return {
        id: "follow",
        says: "Mend it by more marks, then carry it through the shot:",
        deed: { label: "Follow on", run: () => void follow(desk, 1) },
      };
  }
  if (doc.planes.every((plane) => plane.kind === "plate"))
    return {
      id: "treat",
      says: "Treat it: add a plane on the right.",
    };
  if (!shot.jobs.some((job) => job.kind === "export"))
    return {
      id: "export",
      says: "Write it to a file:",
      deed: { label: "Open the exports", run: () => (desk.slide = "exports") },
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
