import { expect, test } from "vitest";
import { setsOf } from "./uploads.svelte";

const file = (name: string) => new File(["x"], name);
const names = (sets: File[][]) => sets.map((set) => set.map((one) => one.name));
const dropped = (...all: [string, string][]) =>
  setsOf(all.map(([folder, name]) => ({ folder, file: file(name) })));

test("sequences are told apart by folder, kind and name", () => {
  const sets = dropped(
    ["/a", "fog.0001.exr"],
    ["/a", "fog.0002.exr"],
    ["/a", "fog.0001.jpg"],
    ["/b", "fog.0001.exr"],
    ["/a", "quay_001.exr"],
    ["/a", "quay_002.exr"],
    ["/a", "take.mov"],
  );
  expect(names(sets)).toEqual([
    ["fog.0001.exr", "fog.0002.exr"],
    ["fog.0001.jpg"],
    ["fog.0001.exr"],
    ["quay_001.exr", "quay_002.exr"],
    ["take.mov"],
  ]);
});

test("pictures without numbers of their own are one sequence of each kind", () => {
  const sets = dropped(["", "a.png"], ["", "b.PNG"], ["", "c.tif"], ["", "dusk.cube"]);
  expect(names(sets)).toEqual([["a.png", "b.PNG"], ["c.tif"], ["dusk.cube"]]);
});
