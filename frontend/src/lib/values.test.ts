import { expect, test } from "vitest";
import { keysOf, withAllEased } from "./values";

const key = (frame: number, ease: "smooth" | "linear") => ({
  frame,
  value: frame,
  ease,
  handles: null,
});

test("all keys of a value are eased alike, under a driver as well", () => {
  const keys = { keys: [key(0, "smooth"), key(9, "linear")] };
  expect(keysOf(withAllEased(keys, "hold")).map((k) => k.ease)).toEqual(["hold", "hold"]);
  const driven = { drive: "rate", base: keys, amount: 1, pace: 1, seed: 1, pattern: "10" };
  expect(keysOf(withAllEased(driven, "linear")).map((k) => k.ease)).toEqual(["linear", "linear"]);
  expect(withAllEased(4, "hold")).toBe(4);
});
