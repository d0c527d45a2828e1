import { expect, test } from "vitest";
import { cutOps, moved, placeOf } from "./cuts";

const cuts = [
  { frame: 10, to: null },
  { frame: 20, to: 27 },
];

test("a cut is found on its frame, and a mix on all of its frames", () => {
  expect(placeOf(cuts, 10)).toBe(0);
  expect(placeOf(cuts, 11)).toBe(null);
  expect(placeOf(cuts, 24)).toBe(1);
});

test("cuts stay in order whatever is put where", () => {
  const [op] = cutOps(cuts, 0, { frame: 40, to: null });
  expect(op.value).toEqual([cuts[1], { frame: 40, to: null }]);
  expect(cutOps(cuts, 1, null)[0].value).toEqual([cuts[0]]);
  expect(cutOps(cuts, null, { frame: 10, to: null })[0].value).toHaveLength(2);
});

test("a mix keeps its length and stays within the plate", () => {
  expect(moved(cuts[1], 95, 100)).toEqual({ frame: 92, to: 99 });
  expect(moved(cuts[0], -5, 100)).toEqual({ frame: 1, to: null });
});
