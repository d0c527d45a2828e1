/** Reels: where their pieces lie, and what edits of them are. */
import type { Op } from "./api";
import type { Footage, Piece, Reel, Shot } from "./api-types";
import { known } from "./document";

export type Laid = {
  piece: Piece;
  /** Its number in the row. */
  at: number;
  /** The reel's frame on which it begins, its frames there, and how many of the first it shares with the one before. */
  begin: number;
  count: number;
  shared: number;
  /** Frames of its shot for one of the reel's. */
  pace: number;
};

export function isReel(doc: Shot | Reel): doc is Reel {
  return doc.kind === "reel";
}

const COMMON = [24000 / 1001, 30000 / 1001, 60000 / 1001, 120000 / 1001];

/** A typed rate as it is meant: 29.97 is 30000/1001. */
function exact(fps: number): number {
  return COMMON.find((one) => Math.abs(fps - one) < 0.0006) ?? Math.round(fps * 10_000) / 10_000;
}

export function entryOf(reel: Reel, id: string): Footage | undefined {
  return reel.footage.find((one) => one.id === id);
}

export function fpsOf(reel: Reel): number {
  const first = reel.pieces.length ? entryOf(reel, reel.pieces[0].shot) : undefined;
  return reel.format.fps ?? first?.fps ?? 24;
}

/** Where all pieces lie; a join is no longer than they have room for. */
export function laid(reel: Reel): Laid[] {
  const fps = fpsOf(reel);
  const rates = new Map(reel.footage.map((one) => [one.id, one.fps]));
  const out: Laid[] = [];
  reel.pieces.forEach((piece, at) => {
    const pace = exact(rates.get(piece.shot) || fps) / exact(fps);
    const count = Math.max(1, Math.floor((piece.last - piece.first + 1) / pace + 0.5 + 1e-9));
    const before = out.at(-1);
    const { kind = "cut", length = 12 } = (piece.join ?? {}) as { kind?: string; length?: number };
    const wanted = kind === "cut" ? 0 : Math.round(length);
    const shared = before
      ? Math.max(0, Math.min(wanted, count - 1, before.count - before.shared - 1))
      : 0;
    const begin = before ? before.begin + before.count - shared : 0;
    out.push({ piece, at, begin, count, shared, pace });
  });
  return out;
}

/** How many frames pieces take; at least one. */
export function lengthOf(all: Laid[]): number {
  return all.reduce((most, one) => Math.max(most, one.begin + one.count), 1);
}

/** The piece that comes last of those that are there on a frame. */
export function pieceAt(all: Laid[], frame: number): Laid | undefined {
  return all.findLast((one) => one.begin <= frame) ?? all[0];
}

/** The frame of a piece's shot that is seen on a frame of the reel. */
export function innerFrame(one: Laid, frame: number): number {
  const { first, last } = one.piece;
  const at = first + Math.floor((frame - one.begin) * one.pace + 0.5 + 1e-9);
  return Math.max(first, Math.min(last, at));
}

/** The address of a shot at the frame that a reel shows, with the way back to it. */
export function wayInto(shot: number, one: Laid, reel: number, frame: number): string {
  return `#/shot/${shot}/${innerFrame(one, frame)}/from/${reel}/${frame}`;
}

/** The operations that lay a shot in before the piece of a number. */
export function layIn(
  reel: Reel,
  entry: Footage,
  range: [number, number],
  at: number,
  id: string,
): Op[] {
  const [first, last] = range;
  const piece = { id, shot: entry.id, first, last, fitting: {}, move: {}, join: {} };
  return [...known(reel, entry), { op: "add", path: `/pieces/${at}`, value: piece }];
}

/** A piece moved to another place in the row; `to` counts the places between the pieces as they are. */
export function moved(from: number, to: number): Op[] {
  if (to === from || to === from + 1) return [];
  return [{ op: "move", from: `/pieces/${from}`, path: `/pieces/${to > from ? to - 1 : to}` }];
}

/** A piece parted in two, the second one of which begins on a frame of the reel. */
export function parted(one: Laid, frame: number, id: string): Op[] {
  const begins = innerFrame(one, frame);
  if (begins <= one.piece.first || begins > one.piece.last) return [];
  const after = { ...one.piece, id, first: begins, join: {} };
  return [
    { op: "replace", path: `/pieces/${one.at}/last`, value: begins - 1 },
    { op: "add", path: `/pieces/${one.at + 1}`, value: after },
  ];
}

/** How far an end of a piece goes with the hand, by frames of the reel: what is left out is kept. */
export function trimmed(one: Laid, end: "first" | "last", by: number, frames: number): Op[] {
  const { first, last } = one.piece;
  const step = Math.round(by * one.pace);
  const value =
    end === "first"
      ? Math.max(0, Math.min(last, first + step))
      : Math.max(first, Math.min(frames - 1, last + step));
  return [{ op: "replace", path: `/pieces/${one.at}/${end}`, value }];
}

/** A move for every piece: in, out, in …, each as the one it is made from is otherwise. */
export function alternated(reel: Reel, like: Record<string, unknown>): Op[] {
  const first = like.kind === "pull out" ? 1 : 0;
  return reel.pieces.map((_, n) => ({
    op: "replace",
    path: `/pieces/${n}/move`,
    value: { ...like, kind: (n + first) % 2 ? "pull out" : "push in" },
  }));
}
