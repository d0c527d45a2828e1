import { expect, test } from "vitest";
import { summed } from "./sum";

test.each([
  ["12", 12],
  [" -3,5 px", -3.5],
  ["+.5", 0.5],
  ["120/2", 60],
  ["1080 - 2*60", 960],
  ["(3+4)*2 °", 14],
  ["10/4/5", 0.5],
  ["2 - -3", 5],
  ["24 /s", 24],
  ["7 -", 7],
])("%s is %d", (text, value) => expect(summed(text)).toBe(value));

test.each(["", "px", "1/0", "*3"])("%s is no number", (text) => expect(summed(text)).toBeNull());
