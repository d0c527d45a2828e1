import { expect, test } from "vitest";
import { shifted } from "./timecode";

const NTSC = 30000 / 1001;

test.each([
  ["00:00:00;00", 107_892, NTSC, "01:00:00;00"],
  ["00:00:59;29", 1, NTSC, "00:01:00;02"],
  ["00:09:59;29", 1, NTSC, "00:10:00;00"],
  ["23:59:59:23", 1, 24, "00:00:00:00"],
  ["00:00:00:00", -1, 25, "23:59:59:24"],
  ["10:00:00:12", 2, 24, "10:00:00:14"],
])("%s and %i frames is what the server says", (from, frames, fps, to) => {
  expect(shifted(from, frames, fps)).toBe(to);
});

test("what is no time code has none after it", () => {
  expect(shifted("soon", 3, 24)).toBe(null);
});
