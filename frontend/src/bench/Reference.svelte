<script lang="ts">
  import { api } from "../lib/api";
  import type { FieldOut, FootageOut } from "../lib/api-types";
  import type { Desk } from "../lib/desk.svelte";
  import { notes } from "../lib/notes.svelte";

  /** Chooses other footage of the project, or a plane of the shot. */
  type Props = { desk: Desk; field: FieldOut; path: string; name: string; value: string | null };
  let { desk, field, path, name, value }: Props = $props();
  let footage = $state.raw<FootageOut[]>([]);
  const doc = $derived(desk.shot.doc!);
  const options = $derived(
    field.control === "plane"
      ? doc.planes.map((p) => ({ id: p.id, name: p.name }))
      : [
          ...footage
            .filter((f) => f.state === "ready")
            .map((f) => ({ id: String(f.id), name: f.name })),
          ...doc.footage.filter((f) => !footage.some((g) => String(g.id) === f.id)),
        ],
  );

  async function load() {
    if (field.control !== "footage") return;
    try {
      footage = (await api.project(desk.shot.about!.project)).footage;
    } catch (error) {
      notes.fault(error);
    }
  }

  $effect(() => {
    void value;
    void load();
  });

  function choose(id: string) {
    const label = `choose ${field.label.toLowerCase()}`;
    if (field.control === "footage" && id) {
      const found = footage.find((f) => String(f.id) === id);
      if (found) return desk.useFootage(found, path, label);
    }
    desk.shot.edit([{ op: "add", path, value: id || null }], label);
  }
</script>

<select
  class="field"
  aria-label={name}
  value={value ?? ""}
  onfocus={load}
  onchange={(e) => choose(e.currentTarget.value)}
>
  <option value="">none</option>
  {#each options as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
</select>

<style>
  select {
    grid-column: 2 / 5;
    min-width: 0;
    width: 100%;
    padding: 1px 4px;
    min-height: 24px;
  }
</style>
