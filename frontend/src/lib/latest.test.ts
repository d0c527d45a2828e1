import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { Latest } from "./latest";

beforeEach(() => {
  vi.useFakeTimers();
});
afterEach(() => {
  vi.useRealTimers();
});

const takes = (ms: number, asked: string[], name: string) => () => {
  asked.push(name);
  return new Promise<void>((done) => setTimeout(done, ms));
};

test("what is wanted while one is asked is asked once, the last of it", async () => {
  const [asked, latest]: [string[], Latest] = [[], new Latest()];
  latest.ask(takes(100, asked, "a"));
  await vi.advanceTimersByTimeAsync(10);
  for (const name of ["b", "c", "d"]) latest.ask(takes(100, asked, name));
  await vi.advanceTimersByTimeAsync(80);
  expect(asked).toEqual(["a"]);
  await vi.advanceTimersByTimeAsync(1000);
  expect(asked).toEqual(["a", "d"]);
});

test("a slow answer is followed by a rest, and one that fails by the next", async () => {
  const [asked, latest]: [string[], Latest] = [[], new Latest()];
  latest.ask(() => (asked.push("a"), Promise.reject(new Error("lost"))));
  await vi.advanceTimersByTimeAsync(5);
  latest.ask(takes(300, asked, "b"));
  await vi.advanceTimersByTimeAsync(20);
  latest.ask(takes(1, asked, "c"));
  await vi.advanceTimersByTimeAsync(500);
  expect(asked).toEqual(["a", "b"]);
  await vi.advanceTimersByTimeAsync(600);
  expect(asked).toEqual(["a", "b", "c"]);
});

test("a pause gathers wishes, and what is dropped is not asked", async () => {
  const [asked, latest]: [string[], Latest] = [[], new Latest()];
  latest.ask(takes(1, asked, "a"), 50);
  await vi.advanceTimersByTimeAsync(30);
  latest.ask(takes(1, asked, "b"), 50);
  await vi.advanceTimersByTimeAsync(40);
  expect(asked).toEqual([]);
  await vi.advanceTimersByTimeAsync(20);
  expect(asked).toEqual(["b"]);
  await vi.advanceTimersByTimeAsync(50);
  latest.ask(takes(1, asked, "c"), 50);
  latest.drop();
  await vi.advanceTimersByTimeAsync(200);
  expect(asked).toEqual(["b"]);
});
