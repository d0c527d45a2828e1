/** What a treatment's values can be taken from besides a hand: files, and what is measured. */
import { api } from "../lib/api";
import type { Step } from "../lib/api-types";
import { chooseFile } from "../lib/choose";
import { notes } from "../lib/notes.svelte";
import type { Desk } from "../desk/desk.svelte";
import type { Choice } from "../ui/Menu.svelte";

const CDL = ".cdl,.cc,.ccc,application/xml,text/xml";

/** What the card's menu offers besides what all cards do; nothing for most kinds. */
export function extrasOf(desk: Desk, step: Step, path: string): Choice[] {
  if (step.kind === "grain")
    return [
      {
        label: "Match the plate’s grain",
        hint: "measured on the flattest parts of this frame",
        run: () => void matchGrain(desk, step, path),
      },
    ];
  if (step.kind !== "cdl") return [];
  return [
    {
      label: "Write a CDL file",
      hint: "its values on this frame",
      run: () => window.location.assign(api.cdl(desk.shot.id, step.id, desk.playback.frame)),
    },
    {
      label: "Read a CDL file …",
      run: () => chooseFile(CDL, (file) => void readCdl(desk, path, file)),
    },
  ];
}

async function readCdl(desk: Desk, path: string, file: File): Promise<void> {
  try {
    const { values } = await api.readCdl(await file.text());
    desk.shot.edit([{ op: "replace", path, value: values }], `read ${file.name}`);
    notes.add(`${file.name} is read.`);
  } catch (error) {
    notes.fault(error);
  }
}

async function matchGrain(desk: Desk, step: Step, path: string): Promise<void> {
  try {
    const { values } = await api.grain(desk.shot.id, desk.playback.frame);
    const value = { ...step.params, ...values };
    desk.shot.edit([{ op: "replace", path, value }], "match the plate's grain");
    notes.add(`The plate has ${values.amount} % of grain, ${values.size} pixels large.`);
  } catch (error) {
    notes.fault(error);
  }
}
