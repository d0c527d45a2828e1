import { expect, test } from "vitest";
import { applied, overlap } from "./document";

const before = () => ({
  name: "Quay",
  planes: [{ name: "a" }, { name: "b", params: { x: 1 } as Record<string, number> }],
  mattes: [{ marks: [1, 2] }],
});

test("operations make a new document and share what they do not touch", () => {
  const doc = before();
  const after = applied(doc, [
    { op: "replace", path: "/planes/1/name", value: "c" },
    { op: "add", path: "/planes/1/params/y", value: 2 },
  ]);
  expect(after.planes[1]).toEqual({ name: "c", params: { x: 1, y: 2 } });
  expect(after.planes[0]).toBe(doc.planes[0]);
  expect(after.mattes).toBe(doc.mattes);
  expect(doc).toEqual(before());
});

test("what moves and goes leaves the old document as it was", () => {
  const doc = before();
  const after = applied(doc, [
    { op: "move", from: "/planes/0", path: "/planes/1" },
    { op: "remove", path: "/mattes/0/marks/0" },
    { op: "add", path: "/mattes/0/marks/-", value: 7 },
  ]);
  expect(after.planes.map((p) => p.name)).toEqual(["b", "a"]);
  expect(after.mattes[0].marks).toEqual([2, 7]);
  expect(doc).toEqual(before());
});

test("what can't be applied is a fault and changes nothing", () => {
  const doc = before();
  expect(() => applied(doc, [{ op: "remove", path: "/planes/9" }])).toThrow();
  expect(() => applied(doc, [{ op: "replace", path: "/nowhere/at/all", value: 1 }])).toThrow();
  expect(doc).toEqual(before());
});

test("operations overlap where one touches what the other touched, or moved", () => {
  const set = (path: string) => [{ op: "replace" as const, path, value: 1 }];
  const add = (path: string) => [{ op: "add" as const, path, value: 1 }];
  expect(overlap(set("/planes/1/name"), set("/planes/1"))).toBe(true);
  expect(overlap(set("/planes/1/name"), set("/planes/11/name"))).toBe(false);
  expect(overlap(set("/planes/1/name"), set("/planes/1/opacity"))).toBe(false);
  // whatever comes into a list or leaves it moves the others, and what is added at its end may be meant by a number
  expect(overlap(add("/planes/0"), set("/planes/3/name"))).toBe(true);
  expect(overlap(add("/mattes/-"), set("/mattes/2/name"))).toBe(true);
  expect(overlap(add("/mattes/-"), set("/planes/2/name"))).toBe(false);
});
