/** Packing a project into one file. */
import { api } from "../lib/api";
import { notes } from "../lib/notes.svelte";
import type { ProjectStore } from "../footage/uploads.svelte";
import type { Choice } from "../ui/Menu.svelte";

/** The choice of a project's menu. */
export function packing(store: ProjectStore): Choice {
  return {
    label: "Pack into one file",
    hint: "footage, shots and mattes, to be brought in elsewhere",
    run: () =>
      void api
        .pack(store.id)
        .then((job) => store.told({ event: "job", job }))
        .catch(notes.fault),
  };
}
