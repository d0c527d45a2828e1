<script lang="ts">
  import { api } from "../../lib/api";
  import type { FieldOut, FootageOut, ShotCard } from "../../lib/api-types";
  import type { Desk } from "../../desk/desk.svelte";
  import { known } from "../../lib/document";
  import { notes } from "../../lib/notes.svelte";
  import Select from "../../ui/Select.svelte";

  /** Chooses other footage of the project, a colour table, or a plane of the shot. */
  type Props = { desk: Desk; field: FieldOut; path: string; name: string; value: string | null };
  let { desk, field, path, name, value }: Props = $props();
  let footage = $state.raw<FootageOut[]>([]);
  let shots = $state.raw<ShotCard[]>([]);
  const doc = $derived(desk.shot.doc);
  /** Whether sound is chosen, and not a picture. */
  const sounds = $derived(path === "/sound/under");
  const tables = $derived(field.control === "table");
  /** Whether a shot can be chosen, too: by an element. */
  const films = $derived.by(() => {
    const plane = /^\/planes\/(\d+)\/params\/footage$/.exec(path);
    return !!plane && ["element", "take"].includes(doc.planes[Number(plane[1])]?.kind ?? "");
  });
  const fits = (f: FootageOut) => (tables ? f.kind === "table" : sounds ? !!f.sound : f.frames > 0);
  const own = $derived(
    doc.footage.filter(
      (f) =>
        (tables ? f.id === value : sounds || f.frames > 0) &&
        !f.shot &&
        footage.every((g) => String(g.id) !== f.id || fits(g)),
    ),
  );
  const options = $derived(
    field.control === "plane"
      ? doc.planes.map((p) => ({ id: p.id, name: p.name }))
      : field.control === "matte"
        ? doc.mattes.map((m) => ({ id: m.id, name: m.name }))
        : [
            // what is in the document stands first: it stays where it is when the project's things come
            ...own.map((f) => ({ id: f.id, name: f.name })),
            ...footage
              .filter(
                (f) => f.state === "ready" && fits(f) && !own.some((g) => g.id === String(f.id)),
              )
              .map((f) => ({ id: String(f.id), name: f.name })),
            ...shots.map((one) => ({ id: `s${one.id}`, name: `${one.name} (as it is now)` })),
          ],
  );

  async function load() {
    if (field.control !== "footage" && !tables) return;
    try {
      const project = await api.project(desk.shot.about.project);
      footage = project.footage;
      // an element shows another shot, or a reel, as well
      const others = [...project.shots, ...project.reels];
      shots = films ? others.filter((one) => one.id !== desk.shot.id) : [];
    } catch (error) {
      notes.fault(error);
    }
  }

  $effect(() => {
    void value;
    void load();
  });

  /** Lays another shot in, as it is at any time. */
  async function show(id: string, label: string) {
    try {
      const { entry } = await api.laying(desk.shot.about.project, { shot: Number(id.slice(1)) });
      desk.shot.edit([...known(doc, entry), { op: "add", path, value: id }], label);
    } catch (error) {
      notes.fault(error);
    }
  }

  function choose(id: string) {
    const label = `choose ${field.label.toLowerCase()}`;
    if (shots.some((one) => `s${one.id}` === id)) return void show(id, label);
    if ((field.control === "footage" || tables) && id) {
      const found = footage.find((f) => String(f.id) === id);
      if (found) return desk.useFootage(found, path, label);
    }
    desk.shot.edit([{ op: "add", path, value: id || null }], label);
  }
</script>

<Select
  {name}
  class="col-span-3 w-full"
  value={value ?? ""}
  placeholder="none"
  options={[{ value: "", label: "none" }, ...options.map((o) => ({ value: o.id, label: o.name }))]}
  onpick={choose}
/>
