/** Operations on a document that leave what they do not touch as it is: an edit costs what it changes. */
import jsonpatch, { type Operation } from "fast-json-patch";
import type { Op } from "./api";
import type { Footage, FootageOut } from "./api-types";

/** A new document; the given one is left as it was, and shares with it all that no operation touches. */
export function applied<T extends object>(document: T, ops: Op[]): T {
  const mine = new Set<object>();
  let here = document;
  for (const op of ops) {
    for (const path of [op.from, op.path]) if (path) here = unshared(here, path, mine);
    here = jsonpatch.applyOperation(here, { ...op } as Operation, true, true).newDocument;
  }
  return here;
}

function unshared<T extends object>(document: T, path: string, mine: Set<object>): T {
  const top = own(document, mine);
  let here = top as Record<string, unknown>;
  for (const part of path.split("/").slice(1, -1)) {
    const name = part.replaceAll("~1", "/").replaceAll("~0", "~");
    const child = here[name];
    if (typeof child !== "object" || child === null) return top;
    here = (here[name] = own(child, mine)) as Record<string, unknown>;
  }
  return top;
}

function own<T extends object>(part: T, mine: Set<object>): T {
  if (mine.has(part)) return part;
  const copy = (Array.isArray(part) ? [...part] : { ...part }) as T;
  mine.add(copy);
  return copy;
}

/** Whether operations touch what others touched: a change of a list's elements concerns all of the list. */
export function overlap(ours: Op[], theirs: Op[]): boolean {
  const places = (ops: Op[]) =>
    ops.flatMap((op) => [op.path, ...(op.from ? [op.from] : [])].map((path) => place(op, path)));
  const [a, b] = [places(ours), places(theirs)];
  const under = (x: string, y: string) => x === y || x.startsWith(`${y}/`) || y === "";
  return a.some((x) => b.some((y) => under(x, y) || under(y, x)));
}

function place(op: Op, path: string): string {
  const moves = op.op !== "replace" && op.op !== "test" && /\/(\d+|-)$/.test(path);
  return moves ? path.slice(0, path.lastIndexOf("/")) : path;
}

/** What a document knows of a piece of footage. */
export function entryOf(footage: FootageOut): Footage {
  const { name, hash, width, height, frames, fps, timecode, reel } = footage;
  const id = String(footage.id);
  return { id, name, hash, width, height, frames, fps, timecode, reel, shot: false };
}

/** The operation that lets a document know of footage, or of a shot, where it does not yet. */
export function known(doc: { footage: Footage[] }, entry: Footage): Op[] {
  if (doc.footage.some((one) => one.id === entry.id)) return [];
  return [{ op: "add", path: "/footage/-", value: entry }];
}
