/** Planes as they begin: whole, before the server has said a word about them. */
import { expect, test } from "vitest";
import type { CatalogueOut, Shot, ShotOut } from "../lib/api-types";
import { ShotStore } from "../lib/shot.svelte";
import { newPlane } from "./planes";

const field = (name: string, value: unknown) => ({ name, default: value });
const catalogue = {
  declared: [
    {
      family: "plane",
      kind: "glaze",
      label: "Glaze",
      needs_matte: false,
      begins: { gate: { part: "outside" }, treatments: [{ kind: "grade" }] },
    },
    { family: "plane", kind: "plate", label: "Plate", needs_matte: false, begins: {} },
    {
      family: "gate",
      kind: "gate",
      fields: [field("part", "inside"), field("invert", false), field("inner", 8)],
    },
  ],
  exports: [],
} as unknown as CatalogueOut;

function store(planes: object[]): ShotStore {
  const document = { mattes: [], planes, tracks: [], footage: [], range: {} } as unknown as Shot;
  const about = { id: 1, document, revision: 0, history: {}, jobs: [], uses: [], frames: [] };
  return new ShotStore(about as unknown as ShotOut, catalogue);
}

test("a glaze begins with a whole gate on the matte that is looked at", () => {
  const { plane } = newPlane(store([]), "glaze", "m1", undefined);
  expect(plane.gate).toEqual({
    part: "outside",
    invert: false,
    inner: 8,
    matte: "m1",
    excluded: [],
  });
  expect(plane.treatments).toEqual([
    { id: expect.any(String), kind: "grade", on: true, params: {} },
  ]);
  expect(newPlane(store([]), "glaze", null, undefined).plane.gate).toBeNull();
});

test("a new plane lies before the selected one and in its group, a plate behind all", () => {
  const shot = store([
    { id: "a", group: null },
    { id: "b", group: "g" },
  ]);
  const { ops, plane } = newPlane(shot, "glaze", null, shot.plane("b"));
  expect([ops[0].path, plane.group]).toEqual(["/planes/1", "g"]);
  expect(newPlane(shot, "plate", null, undefined).ops[0].path).toBe("/planes/2");
});
