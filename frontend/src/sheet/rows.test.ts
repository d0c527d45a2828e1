import { expect, test } from "vitest";
import { MOST, Rows, STRIPE } from "./rows";

test("without a range all frames have a row", () => {
  const rows = new Rows(100, [0, 99], true, 600, 1);
  expect(rows.row).toBe(6);
  expect([rows.y(0), rows.y(99), rows.deep]).toEqual([0, 594, 600]);
  expect(rows.frame(599)).toBe(99);
  expect(rows.inStripe(0)).toBe(false);
});

test("what is outside the range is folded into stripes", () => {
  const rows = new Rows(1000, [400, 459], true, 600, 1);
  expect(rows.row).toBeCloseTo((600 - 2 * STRIPE) / 60);
  expect(rows.y(400)).toBe(STRIPE);
  expect(rows.y(460)).toBeCloseTo(600 - STRIPE);
  expect(rows.y(200)).toBe(STRIPE / 2);
  expect(rows.deep).toBeCloseTo(600);
  expect(rows.inStripe(3)).toBe(true);
  expect(rows.inStripe(300)).toBe(false);
  expect(rows.inStripe(595)).toBe(true);
  expect(rows.frame(STRIPE / 2)).toBe(200);
});

test("places and heights belong together, folded or not", () => {
  for (const folded of [true, false])
    for (const range of [
      [0, 499],
      [20, 499],
      [0, 300],
      [100, 180],
    ] as [number, number][]) {
      const rows = new Rows(500, range, folded, 480, 3);
      for (let f = 0; f < 500; f += 7) expect(rows.at(rows.y(f))).toBeCloseTo(f, 6);
      for (let f = 1; f < 500; f++) expect(rows.y(f)).toBeGreaterThan(rows.y(f - 1));
    }
});

test("rows grow to one that is written on and no further", () => {
  expect(new Rows(5000, [0, 4999], true, 600, 1).row).toBe(2.2);
  expect(new Rows(5000, [0, 4999], true, 600, 1000).row).toBe(MOST);
  // few frames fill the sheet, however high that makes them
  expect(new Rows(6, [0, 5], true, 600, 1).row).toBe(100);
});
