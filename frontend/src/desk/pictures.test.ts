/** Late pictures: what is shown is always the last that was asked for, as the shot is now. */
import { beforeEach, expect, test, vi } from "vitest";
import { api } from "../lib/api";
import type { AnyView } from "../lib/api-types";
import { Pictures } from "./pictures.svelte";

type Waiting = { frame: number; come: (ok?: boolean) => void };

const RESULT: AnyView = { kind: "result" };
const MATTE: AnyView = { kind: "matte", matte: "m", pulls: null, edged: true };

let waiting: Waiting[] = [];
let revision = 0;

const soon = async () => {
  for (let i = 0; i < 12; i++) await Promise.resolve();
};
const bitmap = (name: string) => ({ name, width: 2, height: 2, close: vi.fn() });
const key = (view: AnyView, frame: number) => `${view.kind}-${frame}-${revision}`;

beforeEach(() => {
  vi.restoreAllMocks();
  vi.useFakeTimers();
  vi.stubGlobal("window", globalThis);
  waiting = [];
  revision = 0;
  vi.spyOn(api, "keys").mockImplementation((_id, view, first, last) =>
    Promise.resolve({
      keys: Array.from({ length: last - first + 1 }, (_, i) => key(view, first + i)),
    } as never),
  );
  vi.stubGlobal(
    "fetch",
    (url: string) =>
      new Promise((resolve) => {
        const name = /picture\/([^?]+)/.exec(url)![1];
        const frame = Number(/frame=(\d+)/.exec(url)![1]);
        waiting.push({
          frame,
          come: (ok = true) => resolve({ ok, blob: () => Promise.resolve(name) }),
        });
      }),
  );
  vi.stubGlobal("createImageBitmap", (name: string) => Promise.resolve(bitmap(name)));
});

async function opened(): Promise<Pictures> {
  const pictures = new Pictures(1);
  void pictures.refresh(RESULT, 960, 0, 10);
  await soon();
  waiting.shift()!.come();
  await soon();
  await vi.advanceTimersByTimeAsync(200);
  return pictures;
}

test("of frames that were asked for meanwhile only the last is fetched and shown", async () => {
  const pictures = await opened();
  expect(pictures.shownKey).toBe("result-0-0");
  void pictures.show(1);
  void pictures.show(2);
  void pictures.show(3);
  await soon();
  expect(waiting.map((one) => one.frame)).toEqual([1]);
  waiting.shift()!.come();
  await soon();
  expect(pictures.shownFrame).toBe(0);
  expect(waiting.map((one) => one.frame)).toEqual([3]);
  waiting.shift()!.come();
  await soon();
  expect([pictures.shownFrame, pictures.shownKey]).toEqual([3, "result-3-0"]);
});

test("a picture of the shot as it was is not shown when it comes late", async () => {
  const pictures = await opened();
  void pictures.show(4);
  await soon();
  const old = waiting.shift()!;
  revision = 1;
  void pictures.refresh(RESULT, 960, 4, 10);
  await soon();
  old.come();
  await soon();
  expect(pictures.shownKey).toBe("result-0-0");
  waiting.shift()!.come();
  await soon();
  expect(pictures.shownKey).toBe("result-4-1");
});

test("a picture of another view that comes late is not shown", async () => {
  const pictures = await opened();
  void pictures.show(5);
  await soon();
  const old = waiting.shift()!;
  void pictures.refresh(MATTE, 960, 5, 10);
  await soon();
  old.come();
  await soon();
  waiting.shift()!.come();
  await soon();
  expect(pictures.shownKey).toBe("matte-5-0");
});

test("a picture that does not come is asked for again with a new key", async () => {
  const pictures = await opened();
  void pictures.show(6);
  await soon();
  waiting.shift()!.come(false);
  await soon();
  revision = 2;
  await vi.advanceTimersByTimeAsync(300);
  waiting.shift()!.come();
  await soon();
  expect(pictures.shownKey).toBe("result-6-2");
});

test("how many frames of a range are here is counted", async () => {
  const pictures = await opened();
  expect(pictures.count(0, 9)).toBe(1);
  pictures.ahead([1, 2]);
  await soon();
  for (const one of waiting.splice(0)) one.come();
  await soon();
  expect(pictures.count(0, 9)).toBe(3);
});
