<script lang="ts">
  import { DropdownMenu } from "bits-ui";
  import type { CatalogueOut, Plane } from "../lib/api-types";
  import type { Desk } from "../lib/desk.svelte";
  import Icon from "../lib/Icon.svelte";
  import { notes } from "../lib/notes.svelte";
  import Thumb from "./Thumb.svelte";

  let { desk, catalogue }: { desk: Desk; catalogue: CatalogueOut } = $props();
  const shot = $derived(desk.shot);
  const kinds = $derived(catalogue.declared.filter((d) => d.family === "plane"));

  function label(kind: string): string {
    return (
      catalogue.declared.find((d) => d.family === "treatment" && d.kind === kind)?.label ?? kind
    );
  }

  function about(plane: Plane): string {
    const matte = shot.matte(plane.matte)?.name;
    const kind = kinds.find((k) => k.kind === plane.kind)?.label.toLowerCase() ?? plane.kind;
    const parts = [
      plane.kind === "line" ? `line on ${matte}` : matte ? `${kind} · ${matte}` : kind,
    ];
    if (plane.gate) parts.push(`${plane.gate.part} ${shot.matte(plane.gate.matte)?.name ?? "?"}`);
    if (plane.blend !== "normal") parts.push(plane.blend);
    return parts.join(" · ");
  }

  function add(kind: Plane["kind"], needsMatte: boolean) {
    const matte = desk.matteId;
    if (needsMatte && !matte)
      return notes.add(
        "This plane needs a matte.",
        "Make a matte first: + Matte, below the stand.",
      );
    const id = shot.freshId("p");
    const name = { plate: "Plate", cutout: "Cut-out", glaze: "Glaze", line: "Outline" }[kind];
    const plane: Plane = {
      id, name, kind, on: true, opacity: 1, blend: kind === "line" ? "add" : "normal",
      matte: needsMatte ? matte : null,
      gate: kind === "glaze" && matte ? { matte, part: "outside" } : null,
      params: kind === "line" ? { width: 0 } : {},
      treatments:
        kind === "line"
          ? [{ id: shot.freshId("s"), kind: "glow", on: true, params: {} }]
          : kind === "glaze"
            ? [{ id: shot.freshId("s"), kind: "grade", on: true, params: { saturation: 15, exposure: -0.5 } }]
            : [],
    }; // prettier-ignore
    // a plate goes to the back, all else before what is selected
    const at = kind === "plate" ? shot.doc!.planes.length : Math.max(0, selectedIndex());
    shot.edit([{ op: "add", path: `/planes/${at}`, value: plane }], `add ${name.toLowerCase()}`);
    desk.selected = { kind: "plane", id };
    desk.mode = "result";
  }

  function selectedIndex(): number {
    return desk.selected?.kind === "plane"
      ? shot.doc!.planes.findIndex((p) => p.id === desk.selected!.id)
      : 0;
  }

  function shift(plane: Plane, step: number) {
    const from = shot.doc!.planes.indexOf(plane);
    const to = from + step;
    if (to < 0 || to >= shot.doc!.planes.length) return;
    shot.edit(
      [{ op: "move", from: `/planes/${from}`, path: `/planes/${to}` }],
      `move ${plane.name}`,
    );
  }

  function turn(plane: Plane) {
    const path = `${shot.planePath(plane.id)}/on`;
    shot.edit(
      [{ op: "replace", path, value: !plane.on }],
      `${plane.on ? "hide" : "show"} ${plane.name}`,
    );
  }

  function copy(plane: Plane) {
    const id = shot.freshId("p");
    const treatments = plane.treatments.map((t) => ({ ...t, id: shot.freshId("s") }));
    const value = { ...plane, id, name: `${plane.name} copy`, treatments };
    shot.edit([{ op: "add", path: shot.planePath(plane.id), value }], `copy ${plane.name}`);
    desk.selected = { kind: "plane", id };
  }

  function remove(plane: Plane) {
    shot.edit([{ op: "remove", path: shot.planePath(plane.id) }], `remove ${plane.name}`);
    if (desk.selected?.id === plane.id) desk.selected = null;
  }
</script>

<section class="stand" aria-label="Stand">
  <div class="title">
    <h2>Stand</h2>
    <span>front to back</span>
    <DropdownMenu.Root>
      <DropdownMenu.Trigger class="btn-bare" aria-label="Add a plane"
        ><Icon name="plus" size={13} /> Plane</DropdownMenu.Trigger
      >
      <DropdownMenu.Portal>
        <DropdownMenu.Content class="menu" align="end">
          {#each kinds as kind (kind.kind)}
            <DropdownMenu.Item
              class="menu-item"
              onSelect={() => add(kind.kind as Plane["kind"], kind.needs_matte)}
            >
              {kind.label}<small>{kind.hint}</small>
            </DropdownMenu.Item>
          {/each}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  </div>
  <ul>
    {#each shot.doc!.planes as plane (plane.id)}
      {@const selected = desk.selected?.kind === "plane" && desk.selected.id === plane.id}
      <li class:selected class:off={!plane.on}>
        <button
          class="pick"
          aria-pressed={selected}
          onclick={() => {
            desk.selected = { kind: "plane", id: plane.id };
            desk.mode = "result";
          }}
        >
          <span class="glass" class:dark={plane.kind === "line"}
            ><Thumb {desk} view={`plane:${plane.id}`} alt="" /></span
          >
          <span class="text">
            <strong>{plane.name}</strong>
            <span class="about">{about(plane)}</span>
            <span class="chips">
              {#each plane.treatments as step (step.id)}<i class:off={!step.on}
                  >{label(step.kind).toLowerCase()}</i
                >{/each}
            </span>
          </span>
        </button>
        <div class="deeds">
          <button
            class="btn-bare"
            aria-label={`${plane.on ? "Hide" : "Show"} ${plane.name}`}
            onclick={() => turn(plane)}><Icon name={plane.on ? "eye" : "shut"} /></button
          >
          <DropdownMenu.Root>
            <DropdownMenu.Trigger class="btn-bare" aria-label={`More for ${plane.name}`}
              ><Icon name="more" /></DropdownMenu.Trigger
            >
            <DropdownMenu.Portal>
              <DropdownMenu.Content class="menu" align="end">
                <DropdownMenu.Item class="menu-item" onSelect={() => shift(plane, -1)}
                  >To the front by one</DropdownMenu.Item
                >
                <DropdownMenu.Item class="menu-item" onSelect={() => shift(plane, 1)}
                  >To the back by one</DropdownMenu.Item
                >
                <DropdownMenu.Item class="menu-item" onSelect={() => copy(plane)}
                  >Copy</DropdownMenu.Item
                >
                <DropdownMenu.Item class="menu-item" onSelect={() => remove(plane)}
                  >Remove</DropdownMenu.Item
                >
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
        </div>
      </li>
    {:else}
      <li class="none">The stand is empty. Add the plate with “+ Plane”.</li>
    {/each}
  </ul>
</section>

<style>
  .stand {
    display: flex;
    flex-direction: column;
    min-height: 0;
  }
  .title {
    display: flex;
    align-items: baseline;
    gap: 8px;
    padding: 8px 8px 4px 13px;
  }
  .title span {
    flex: 1;
    font-size: 11.5px;
    color: var(--quiet);
  }
  h2 {
    margin: 0;
    font-size: 13.5px;
    font-weight: 600;
  }
  ul {
    flex: 1;
    list-style: none;
    margin: 0;
    padding: 4px 0 12px;
    overflow-y: auto;
  }
  li {
    position: relative;
    display: flex;
    align-items: start;
  }
  li.selected {
    background: var(--card);
    box-shadow: inset 0 0 0 1.5px var(--ink);
  }
  .pick {
    flex: 1;
    display: flex;
    gap: 12px;
    min-width: 0;
    border: 0;
    background: none;
    padding: 12px 0 10px 14px;
    text-align: left;
  }
  .glass {
    flex: none;
    width: 96px;
    height: 56px;
    margin-top: 4px;
    overflow: hidden;
    background: #cbc5b6;
    transform: perspective(340px) rotateX(34deg) rotateZ(-9deg) skewX(4deg);
    box-shadow:
      0 0 0 1px rgb(0 0 0 / 0.35),
      0 9px 12px -4px rgb(0 0 0 / 0.36);
  }
  .glass.dark {
    background: #1f1e1c;
  }
  li.off .glass {
    opacity: 0.3;
  }
  .text {
    display: grid;
    align-content: start;
    gap: 1px;
    min-width: 0;
  }
  strong {
    font-weight: 600;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .about {
    font-size: 11.5px;
    line-height: 1.25;
    color: var(--quiet);
  }
  .chips {
    display: flex;
    flex-wrap: wrap;
    gap: 3px;
    margin-top: 3px;
  }
  .chips i {
    font-style: normal;
    font-size: 11px;
    background: var(--card);
    border: 1px solid var(--rule);
    border-radius: 3px;
    padding: 0 5px;
  }
  .chips i.off {
    text-decoration: line-through;
    color: var(--quiet);
  }
  .deeds {
    display: grid;
    padding: 8px 5px 0 0;
  }
  .none {
    padding: 10px 14px;
    color: var(--quiet);
  }
</style>
