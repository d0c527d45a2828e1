import { expect, test } from "vitest";
import { fewest, room } from "./fitted";

test("columns are as few as fit, and none where not even the most do", () => {
  expect(fewest(() => true, 3)).toBe(1);
  expect(fewest((n) => n >= 3, 3)).toBe(3);
  expect(fewest(() => false, 3)).toBe(null);
});

test("a column is never too narrow for a slider", () => {
  expect(room(200)).toBe(1);
  expect(room(440)).toBe(1);
  expect(room(481)).toBe(2);
  expect(room(690)).toBe(2);
  expect(room(1214)).toBe(5);
});
