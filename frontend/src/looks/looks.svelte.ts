/** The looks that there are, across projects, and what is done with them. */
import { api, type Op } from "../lib/api";
import type { LookOut, Plane } from "../lib/api-types";
import { asking } from "../lib/asking.svelte";
import { chooseFile } from "../lib/choose";
import { notes } from "../lib/notes.svelte";
import type { Desk } from "../desk/desk.svelte";
import type { Choice } from "../ui/Menu.svelte";

/** A look on its way to the stand, and the plane that it is for, if it is of treatments. */
export type Laying = { look: LookOut; plane: Plane | null };
export type Chosen = Record<string, string | null>;

export class Looks {
  all = $state.raw<LookOut[]>([]);

  async load(): Promise<void> {
    try {
      this.all = (await api.looks()).looks;
    } catch (error) {
      notes.fault(error);
    }
  }

  /** Those for a plane's treatments, or those for the stand. */
  of(what: LookOut["of"]): LookOut[] {
    return this.all.filter((look) => look.of === what);
  }

  private async changes(deed: () => Promise<unknown>): Promise<boolean> {
    try {
      await deed();
      await this.load();
      return true;
    } catch (error) {
      notes.fault(error);
      return false;
    }
  }

  /** Saves planes as a look, or the treatments of one. */
  async save(desk: Desk, name: string, planes: string[], treatmentsOf: string | null) {
    await desk.shot.settled();
    const frame = desk.playback.frame;
    const body = { name, shot: desk.shot.id, frame, planes, treatments_of: treatmentsOf };
    const saved = await this.changes(() => api.newLook(body));
    if (saved) notes.add(`${name} is saved as a look.`, "It lies on the shelf, for all projects.");
    return saved;
  }

  /** Reads a look from a file that the person chooses. */
  read(): void {
    chooseFile(
      ".json,application/json",
      (file) =>
        void this.changes(async () => {
          const look = await api.readLook(await file.text());
          notes.add(`${look.name} is read.`);
        }),
    );
  }

  choicesOf(look: LookOut): Choice[] {
    const write = {
      label: "Write its file",
      hint: "open JSON, with its picture",
      run: () => window.location.assign(api.lookFile(look.id)),
    };
    if (look.shipped) return [write];
    return [
      write,
      { label: "Rename …", run: () => void this.rename(look) },
      {
        label: "Delete",
        hint: "shots that have it stay as they are",
        run: () => void this.remove(look),
      },
    ];
  }

  private async rename(look: LookOut): Promise<void> {
    const next = await asking.name(`Rename ${look.name}`, look.name, "Rename");
    if (next && next !== look.name) await this.changes(() => api.renameLook(look.id, next));
  }

  private async remove(look: LookOut): Promise<void> {
    const detail = "Its file can be written before. This can't be undone.";
    if (await asking.sure(`Delete the look ${look.name}?`, detail, "Delete"))
      await this.changes(() => api.deleteLook(look.id));
  }
}

/** Lays a look on; asks first for what it needs where that is not plain. */
export async function lay(desk: Desk, look: LookOut, plane: Plane | null): Promise<void> {
  const mattes = look.needs.filter((need) => need.of === "matte");
  const plain = mattes.length < 2 && desk.shot.doc.mattes.length < 2;
  const films = look.needs.some((need) => need.of === "footage");
  if (look.needs.length && !(plain && !films)) desk.laying = { look, plane };
  else await layWith(desk, { look, plane }, {});
}

export async function layWith(desk: Desk, { look, plane }: Laying, chosen: Chosen) {
  const { shot } = desk;
  try {
    await shot.settled();
    const body = { look: look.id, plane: plane?.id ?? null, prefer: desk.selection.matteId };
    const found = await api.layLook(shot.id, { ...body, chosen });
    shot.edit(found.ops as Op[], found.label);
    if (!plane) {
      const first = (found.ops[0] as { value: Plane }).value;
      desk.selection.thing = { kind: "plane", id: first.id };
    }
    desk.view.mode = "result";
    desk.laying = null;
  } catch (error) {
    notes.fault(error);
  }
}
