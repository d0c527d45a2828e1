/** Curves on paper: what is drawn where it is dragged to. */
import { expect, test } from "vitest";
import { alone } from "../lib/values";
import { bounds, handleDragged, keyDragged, Paper } from "./plot";

const at = (time: number) => alone(time, 25);
const ramp = {
  keys: [
    { frame: 10, value: 0, ease: "free", handles: [0.25, 0, 0.75, 1] },
    { frame: 30, value: 4, ease: "hold", handles: null },
  ],
};

test("a place on the paper is the frame and the value that lie there", () => {
  const paper = new Paper(624, 200, [10, 70]);
  expect(paper.frame(paper.x(25))).toBeCloseTo(25);
  const m = { low: -2, high: 6 };
  expect(paper.value(m, paper.y(m, 3.5))).toBeCloseTo(3.5);
});

test("numbered frames stand apart however far it is zoomed", () => {
  for (const span of [
    [0, 12],
    [0, 90],
    [40, 2000],
  ] as [number, number][]) {
    const paper = new Paper(500, 200, span);
    const labels = paper.labels();
    const gaps = labels.slice(1).map((f, i) => paper.x(f) - paper.x(labels[i]));
    expect(Math.min(...gaps, Infinity)).toBeGreaterThanOrEqual(46);
  }
});

test("zooming keeps the frame under the pointer, and ends at all frames", () => {
  const paper = new Paper(500, 200, [0, 100]);
  const x = paper.x(30);
  const near = paper.zoomed(x, 0.5, 100)!;
  expect(new Paper(500, 200, near).frame(x)).toBeCloseTo(30);
  expect(paper.zoomed(x, 1.25, 100)).toBeNull();
});

test("a curve has room for all that its value comes to", () => {
  const { low, high } = bounds({ value: ramp, field: null }, 60, at);
  expect(low).toBeLessThan(0);
  expect(high).toBeGreaterThan(4);
});

test("a handle stays between its keys, and the other one where it was", () => {
  const value = handleDragged(ramp, 10, "out", { frame: 40, value: 2 }) as typeof ramp;
  expect(value.keys[0].handles).toEqual([1, 0.5, 0.75, 1]);
});

test("a dragged key is written to the thousandth", () => {
  const value = keyDragged(ramp, 30, 35, 1.23456) as typeof ramp;
  expect(value.keys.map((k) => [k.frame, k.value])).toEqual([
    [10, 0],
    [35, 1.235],
  ]);
});
