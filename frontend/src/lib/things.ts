/** What is done alike with projects, shots, footage and exports: renamed, copied, put into the trash and taken back. */
import { api } from "./api";
import { asking } from "./asking.svelte";
import { notes } from "./notes.svelte";
import type { Choice } from "../ui/Menu.svelte";

export type Things = "projects" | "shots" | "footage" | "jobs";
export type Thing = { things: Things; id: number; name: string };

async function tried(deed: () => Promise<unknown>): Promise<void> {
  try {
    await deed();
  } catch (error) {
    notes.fault(error);
  }
}

async function rename({ things, id, name }: Thing, done: () => void): Promise<void> {
  const next = await asking.name(`Rename ${name}`, name, "Rename");
  if (next && next !== name) await tried(() => api.rename(things, id, next).then(done));
}

/** Into the trash; those that can't go say why, and stay. */
export async function putAway(those: Thing[], done: () => void): Promise<void> {
  const gone: Thing[] = [];
  for (const one of those)
    await tried(() => api.putAway(one.things, one.id).then(() => gone.push(one)));
  if (!gone.length) return;
  done();
  const [says, label] =
    gone.length === 1
      ? [`${gone[0].name} is`, "Take it back"]
      : [`${gone.length} ${those[0].things} are`, "Take back"];
  const back = () =>
    void tried(() => Promise.all(gone.map((one) => api.restore(one.things, one.id))).then(done));
  notes.add(`${says} in the trash.`, "", "note", { label, run: back });
}

/** The choices of a thing's menu; `done` when the lists that it stands in may have changed. */
export function choicesOf(thing: Thing, done: () => void): Choice[] {
  const copies = thing.things === "projects" || thing.things === "shots";
  const copy = () => void tried(() => api.copy(thing.things, thing.id).then(done));
  return [
    { label: "Rename …", run: () => void rename(thing, done) },
    ...(copies ? [{ label: "Copy", run: copy }] : []),
    {
      label: "Put into the trash",
      hint: "it can be taken back for 30 days",
      run: () => void putAway([thing], done),
    },
  ];
}

export async function deleteForGood(thing: Thing, done: () => void): Promise<void> {
  const detail = "What it holds goes with it. This can't be undone.";
  if (!(await asking.sure(`Delete ${thing.name} for good?`, detail, "Delete"))) return;
  await tried(() => api.deleteForGood(thing.things, thing.id).then(done));
}

export async function restore(thing: Thing, done: () => void): Promise<void> {
  await tried(() => api.restore(thing.things, thing.id).then(done));
}
