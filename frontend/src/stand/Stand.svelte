<script lang="ts">
  import { DropdownMenu } from "bits-ui";
  import type { Op } from "../lib/api";
  import type { CatalogueOut, Plane } from "../lib/api-types";
  import type { Desk } from "../lib/desk.svelte";
  import Adding from "../lib/Adding.svelte";
  import Icon from "../lib/Icon.svelte";
  import { moves, moversOfPlane } from "../lib/movers";
  import { notes } from "../lib/notes.svelte";
  import { copies, dissolved, levels, placed, removed, stepped } from "./planes";
  import Heading from "./Heading.svelte";
  import Thumb from "./Thumb.svelte";

  let { desk, catalogue }: { desk: Desk; catalogue: CatalogueOut } = $props();
  const shot = $derived(desk.shot);
  const kinds = $derived(catalogue.declared.filter((d) => d.family === "plane"));

  function label(kind: string): string {
    return (
      catalogue.declared.find((d) => d.family === "treatment" && d.kind === kind)?.label ?? kind
    );
  }

  const all = $derived(levels(shot.doc!.planes));
  const soloed = $derived(shot.doc!.planes.some((p) => p.solo));

  function about(plane: Plane): string {
    const matte = shot.matte(plane.matte)?.name;
    const kind = kinds.find((k) => k.kind === plane.kind)?.label.toLowerCase() ?? plane.kind;
    const footage = shot.doc!.footage.find((f) => f.id === plane.params.footage)?.name;
    const parts = [
      plane.kind === "line" ? `line on ${matte}` : matte ? `${kind} · ${matte}` : kind,
    ];
    if (footage) parts[0] += ` · ${footage}`;
    if (plane.gate) {
      const not = plane.gate.invert ? "not " : "";
      parts.push(`${not}${plane.gate.part} ${shot.matte(plane.gate.matte)?.name ?? "?"}`);
    }
    if (plane.blend !== "normal") parts.push(plane.blend);
    if (plane.first !== null || plane.last !== null)
      parts.push(`${number(plane.first)} to ${number(plane.last)}`);
    return parts.join(" · ");
  }

  const number = (frame: number | null) =>
    frame === null ? "end" : String(shot.doc!.first_number + frame);

  const names: Record<Plane["kind"], string> = {
    plate: "Plate", cutout: "Cut-out", element: "Element", fill: "Fill", line: "Outline", glaze: "Glaze", group: "Group",
  }; // prettier-ignore

  function add(kind: Plane["kind"], needsMatte: boolean) {
    const matte = desk.matteId;
    if (needsMatte && !matte)
      return notes.add(
        "This plane needs a matte.",
        "Make a matte first: + Matte, below the stand.",
      );
    const id = shot.freshId("p");
    const name = names[kind];
    const chosen = desk.selected?.kind === "plane" ? shot.plane(desk.selected.id) : undefined;
    const step = (treatment: string, params: object) => [
      { id: shot.freshId("s"), kind: treatment, on: true, params },
    ];
    const plane = {
      id, name, kind, on: true, solo: false, opacity: 1, blend: kind === "line" ? "add" : "normal",
      matte: needsMatte ? matte : null,
      gate: kind === "glaze" && matte ? { matte, part: "outside" } : null,
      first: null, last: null, group: chosen?.group ?? null, placement: {}, time: {},
      params: kind === "line" ? { width: 0 } : {},
      treatments:
        kind === "line"
          ? step("glow", {})
          : kind === "glaze"
            ? step("grade", { saturation: 15, exposure: -0.5 })
            : [],
    }; // prettier-ignore
    // a plate goes to the back, all else before what is selected
    const at = kind === "plate" ? shot.doc!.planes.length : Math.max(0, selectedIndex());
    const ops: Op[] = [{ op: "add", path: `/planes/${at}`, value: plane }];
    // a new group holds what was selected
    if (kind === "group" && chosen)
      ops.push({ op: "replace", path: `/planes/${at + 1}/group`, value: id });
    shot.edit(ops, `add ${name.toLowerCase()}`);
    desk.selected = { kind: "plane", id };
    desk.mode = "result";
  }

  function selectedIndex(): number {
    return desk.selected?.kind === "plane"
      ? shot.doc!.planes.findIndex((p) => p.id === desk.selected!.id)
      : 0;
  }

  function change(ops: Op[], label: string) {
    if (ops.length) shot.edit(ops, label);
  }

  function turn(plane: Plane, name: "on" | "solo") {
    const path = `${shot.planePath(plane.id)}/${name}`;
    const says = name === "solo" ? "solo" : plane.on ? "hide" : "show";
    shot.edit([{ op: "replace", path, value: !plane[name] }], `${says} ${plane.name}`);
  }

  function copy(plane: Plane) {
    const { ops, id } = copies(shot, plane);
    shot.edit(ops, `copy ${plane.name}`);
    desk.selected = { kind: "plane", id };
  }

  function remove(plane: Plane) {
    shot.edit(removed(shot, plane), `remove ${plane.name}`);
    if (!shot.plane(desk.selected?.id)) desk.selected = null;
  }

  function arrive(plane: Plane, way: "arrive" | "leave") {
    const path = shot.planePath(plane.id);
    const places = [`${path}/placement`, `${path}/treatments`];
    if (plane.kind === "line" || !Object.keys(plane.placement).length)
      if (!plane.treatments.length) places.push(`${path}/opacity`);
    desk.arriving = { places, title: plane.name, way };
  }

  function pressed(event: KeyboardEvent, plane: Plane) {
    if (!event.altKey || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return;
    event.preventDefault();
    event.stopPropagation();
    change(stepped(shot, plane, event.key === "ArrowUp" ? -1 : 1), `move ${plane.name}`);
  }

  let dragged = $state<string | null>(null);
  let over = $state.raw<{ id: string; where: "before" | "behind" | "in" } | null>(null);

  function dragsOver(event: DragEvent, plane: Plane) {
    if (!dragged || dragged === plane.id) return;
    event.preventDefault();
    const bounds = (event.currentTarget as Element).getBoundingClientRect();
    const part = (event.clientY - bounds.top) / bounds.height;
    const into = plane.kind === "group" && part > 0.3;
    over = { id: plane.id, where: into ? "in" : part < 0.5 ? "before" : "behind" };
  }

  function dropped() {
    const name = shot.plane(dragged)?.name;
    if (dragged && over) change(placed(shot, dragged, over.id, over.where), `move ${name}`);
    dragged = over = null;
  }

  $effect(() => {
    void shot.version;
    if (!desk.playing) desk.costs.again(desk.frame, desk.width);
  });
</script>

<section class="stand" aria-label="Stand">
  <Heading name="Stand" note="front to back">
    <Adding
      what="Plane"
      says="Add a plane"
      items={kinds}
      add={(item) => add(item.kind as Plane["kind"], item.needs_matte)}
    />
  </Heading>
  <ul class:many={all.length > 6}>
    {#each all as { plane, depth } (plane.id)}
      {@const selected = desk.selected?.kind === "plane" && desk.selected.id === plane.id}
      {@const cost = desk.costs.found[plane.id]}
      <li
        class:selected
        class:off={!plane.on || (soloed && !plane.solo)}
        class:used={desk.uses.has(plane.id)}
        class:before={over?.id === plane.id && over.where === "before"}
        class:behind={over?.id === plane.id && over.where === "behind"}
        class:into={over?.id === plane.id && over.where === "in"}
        style:--depth={depth}
        draggable="true"
        ondragstart={() => (dragged = plane.id)}
        ondragover={(e) => dragsOver(e, plane)}
        ondrop={dropped}
        ondragend={() => (dragged = over = null)}
      >
        <button
          class="pick"
          aria-pressed={selected}
          title="Alt and the arrow keys move it to the front or to the back"
          onkeydown={(e) => pressed(e, plane)}
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
              {#if plane.solo}<i class="solo">solo</i>{/if}
              {#each plane.treatments as step (step.id)}<i class:off={!step.on}
                  >{label(step.kind).toLowerCase()}</i
                >{/each}
              {#if moversOfPlane(plane, "").some((m) => moves(m.value))}<i
                  class="moves"
                  title="has keyframes or drivers">moves</i
                >{/if}
              {#if cost >= 0.5}<small title="what this frame took">{Math.round(cost)} ms</small
                >{/if}
            </span>
          </span>
        </button>
        <div class="deeds">
          <button
            class="btn-bare"
            aria-label={`${plane.on ? "Hide" : "Show"} ${plane.name}`}
            onclick={() => turn(plane, "on")}><Icon name={plane.on ? "eye" : "shut"} /></button
          >
          <DropdownMenu.Root>
            <DropdownMenu.Trigger class="btn-bare" aria-label={`More for ${plane.name}`}
              ><Icon name="more" /></DropdownMenu.Trigger
            >
            <DropdownMenu.Portal>
              <DropdownMenu.Content class="menu" align="end">
                <DropdownMenu.Item class="menu-item" onSelect={() => turn(plane, "solo")}
                  >{plane.solo ? "No solo" : "Solo"}<small>only this one is shown</small
                  ></DropdownMenu.Item
                >
                <DropdownMenu.Item class="menu-item" onSelect={() => arrive(plane, "arrive")}
                  >Arrive …<small>placement and treatments come from neutral</small
                  ></DropdownMenu.Item
                >
                <DropdownMenu.Item class="menu-item" onSelect={() => arrive(plane, "leave")}
                  >Leave …</DropdownMenu.Item
                >
                <DropdownMenu.Item
                  class="menu-item"
                  onSelect={() => change(stepped(shot, plane, -1), `move ${plane.name}`)}
                  >To the front by one</DropdownMenu.Item
                >
                <DropdownMenu.Item
                  class="menu-item"
                  onSelect={() => change(stepped(shot, plane, 1), `move ${plane.name}`)}
                  >To the back by one</DropdownMenu.Item
                >
                <DropdownMenu.Item class="menu-item" onSelect={() => copy(plane)}
                  >Copy</DropdownMenu.Item
                >
                {#if plane.kind === "group"}
                  <DropdownMenu.Item
                    class="menu-item"
                    onSelect={() => change(dissolved(shot, plane), `dissolve ${plane.name}`)}
                    >Dissolve the group</DropdownMenu.Item
                  >
                {/if}
                <DropdownMenu.Item class="menu-item" onSelect={() => remove(plane)}
                  >{plane.kind === "group"
                    ? "Remove with all it holds"
                    : "Remove"}</DropdownMenu.Item
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
  li:not(.none) {
    padding-left: calc(var(--depth) * 16px);
  }
  /* what the selected one rests on, or what rests on it */
  li.used {
    box-shadow: inset 4px 0 0 -1px var(--ink);
  }
  li.before {
    box-shadow: inset 0 2px 0 var(--ink);
  }
  li.behind {
    box-shadow: inset 0 -2px 0 var(--ink);
  }
  li.into {
    background: var(--card);
    outline: 2px dashed var(--ink);
    outline-offset: -2px;
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
  .chips small {
    font: 500 10.5px var(--font-mono);
    color: var(--quiet);
    align-self: center;
  }
  .chips .solo {
    background: var(--ink);
    color: var(--on-ink);
  }
  .chips .moves::before {
    content: "";
    display: inline-block;
    width: 7px;
    height: 7px;
    margin-right: 4px;
    border: 1.3px solid currentColor;
    border-radius: 50%;
    background: radial-gradient(currentColor 0 1.3px, transparent 1.8px);
  }
  .deeds {
    display: grid;
    padding: 8px 5px 0 0;
  }
  .many .pick {
    gap: 9px;
    padding: 6px 0 5px 10px;
  }
  .many .glass {
    width: 58px;
    height: 34px;
    margin-top: 2px;
  }
  .many .deeds {
    grid-auto-flow: column;
    padding-top: 3px;
  }
  .many .about {
    display: -webkit-box;
    -webkit-line-clamp: 1;
    line-clamp: 1;
    -webkit-box-orient: vertical;
    overflow: hidden;
  }
  .none {
    padding: 10px 14px;
    color: var(--quiet);
  }
</style>
