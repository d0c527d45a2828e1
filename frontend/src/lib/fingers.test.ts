import { expect, test } from "vitest";
import { Fingers } from "./fingers";

const at = (id: number, x: number, y: number, kind = "touch") =>
  ({ pointerId: id, clientX: x, clientY: y, pointerType: kind }) as PointerEvent;

test("two fingers tell how far they came apart and where they went", () => {
  const fingers = new Fingers();
  expect(fingers.add(at(1, 0, 0))).toBe(false);
  expect(fingers.move(at(1, 10, 0))).toBeNull();
  expect(fingers.add(at(2, 110, 0))).toBe(true);
  expect(fingers.move(at(2, 210, 0))).toEqual({ x: 110, y: 0, by: 2, dx: 50, dy: 0 });
  expect(fingers.lift(at(1, 10, 0))).toBe(true);
  expect(fingers.move(at(2, 300, 0))).toBeNull();
  expect(fingers.lift(at(2, 300, 0))).toBe(false);
});

test("a mouse is no finger", () => {
  const fingers = new Fingers();
  fingers.add(at(1, 0, 0));
  expect(fingers.add(at(2, 50, 50, "mouse"))).toBe(false);
  expect(fingers.two).toBe(false);
});
