/** What else can be done with a plane. */
import type { Op } from "../lib/api";
import type { Plane } from "../lib/api-types";
import type { Desk } from "../desk/desk.svelte";
import type { Choice } from "../ui/Menu.svelte";
import { copies, dissolved, removed, stepped } from "./planes";

export function deedsOfPlane(desk: Desk, plane: Plane): Choice[] {
  const { shot } = desk;
  const group = plane.kind === "group";

  function change(ops: Op[], label: string) {
    if (ops.length) shot.edit(ops, `${label} ${plane.name}`);
  }

  function solo() {
    const path = `${shot.planePath(plane.id)}/solo`;
    change([{ op: "replace", path, value: !plane.solo }], "solo");
  }

  function arrive(way: "arrive" | "leave") {
    const path = shot.planePath(plane.id);
    const places = [`${path}/placement`, `${path}/treatments`];
    if (plane.kind === "line" || !Object.keys(plane.placement).length)
      if (!plane.treatments.length) places.push(`${path}/opacity`);
    desk.arriving = { places, title: plane.name, way };
  }

  function copy() {
    const { ops, id } = copies(shot, plane);
    change(ops, "copy");
    desk.selection.thing = { kind: "plane", id };
  }

  function remove() {
    change(removed(shot, plane), "remove");
    if (!desk.selection.plane) desk.selection.thing = null;
  }

  return [
    { label: plane.solo ? "No solo" : "Solo", hint: "only this one is shown", run: solo },
    {
      label: "Arrive …",
      hint: "placement and treatments come from neutral",
      run: () => arrive("arrive"),
    },
    { label: "Leave …", run: () => arrive("leave") },
    { label: "To the front by one", run: () => change(stepped(shot, plane, -1), "move") },
    { label: "To the back by one", run: () => change(stepped(shot, plane, 1), "move") },
    { label: "Copy", run: copy },
    {
      label: "Save as a look …",
      hint: "to use on other shots",
      run: () => (desk.saving = plane.id),
    },
    ...(group
      ? [{ label: "Dissolve the group", run: () => change(dissolved(shot, plane), "dissolve") }]
      : []),
    { label: group ? "Remove with all it holds" : "Remove", run: remove },
  ];
}
