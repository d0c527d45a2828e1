/** What both ends compute is the same: the server writes these vectors by `cuvrel schemas`. */
import { describe, expect, test } from "vitest";
import vectors from "../../../docs/schemas/vectors.json";
import type { SceneOut, Shape } from "./api-types";
import { curveAt, rampAt } from "./curves";
import { placeOf, type Placed } from "./placement";
import { along, axesOf, CARD, eyeOf, seenAt, solvedOf, stoodAt, toldOf, viewOn } from "./scene";
import { shapeAt, type Point } from "./shapes";
import { alone, valueAt } from "./values";

function near(found: unknown, wanted: unknown): void {
  if (Array.isArray(wanted)) {
    expect(found).toHaveLength(wanted.length);
    wanted.forEach((one, i) => near((found as unknown[])[i], one));
  } else expect(found).toBeCloseTo(wanted as number, 6);
}

describe("values", () => {
  vectors.values.forEach(({ value, at }, n) =>
    test(`the ${n + 1}. value at every time`, () => {
      for (const [time, fps, wanted] of at as [number, number, unknown][])
        near(valueAt(value, alone(time, fps)), wanted);
    }),
  );
});

test("curves and ramps are read as the server reads them", () => {
  for (const { points, at } of vectors.curves)
    at.forEach((y, i) => near(curveAt(points, i / 10), y));
  for (const { stops, at } of vectors.ramps)
    at.forEach((rgb, i) => near(rampAt(stops, i / 10), rgb));
});

test("shapes are where the server has them", () => {
  for (const { shape, at } of vectors.shapes)
    for (const [frame, key] of at as [number, Shape["keys"][number]][]) {
      const found = shapeAt(shape as unknown as Shape, frame);
      near([found.x, found.y, found.width, found.height, found.angle, found.round, found.outer], [
        key.x, key.y, key.width, key.height, key.angle, key.round, key.outer,
      ]); // prettier-ignore
      near(
        found.points.map((p) => [p.x, p.y, p.inner, p.outer]),
        key.points.map((p) => [p.x, p.y, p.inner, p.outer]),
      );
    }
});

test("what is placed lies where the server lays it", () => {
  for (const { placement, width, places } of vectors.placements)
    for (const [spot, wanted] of places as [Point, Point][])
      near(placeOf(placement as unknown as Placed, width, spot), wanted);
});

test("cards stand in the scene where the server stands them", () => {
  for (const { card, space, size, bend, view, corners } of vectors.cards) {
    const here = viewOn({ solved: true, views: [view] } as unknown as SceneOut, 0)!;
    const axes = axesOf(space as never);
    const s = stoodAt({ ...CARD, ...card }, toldOf(axes, eyeOf(here)), size[1] / size[0]);
    const found = [
      [-0.5, 0.5],
      [0.5, 0.5],
      [0.5, -0.5],
      [-0.5, -0.5],
    ].map(([x, y]) =>
      seenAt(
        here,
        bend,
        size as Point,
        solvedOf(axes, along(along(s.middle, s.across, x), s.up, y)),
      ),
    );
    near(found, corners);
  }
});
