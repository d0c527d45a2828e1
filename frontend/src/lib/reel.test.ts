import { describe, expect, it } from "vitest";
import vectors from "../../../docs/schemas/vectors.json";
import type { Reel } from "./api-types";
import { applied } from "./document";
import { alternated, innerFrame, laid, lengthOf, moved, parted, pieceAt, trimmed } from "./reel";

const reels = vectors.reels as unknown as { reel: Reel; frames: number; laid: number[][] }[];

describe("a reel", () => {
  it.each(reels.map((one, n) => [n, one] as const))("lies as the server says (%i)", (_, one) => {
    expect(laid(one.reel).map((l) => [l.begin, l.count, l.shared])).toEqual(one.laid);
    expect(lengthOf(laid(one.reel))).toBe(one.frames);
  });

  const { reel } = reels[1];

  it("knows which piece is there, and which frame of its shot", () => {
    const all = laid(reel);
    for (const one of all) {
      expect(pieceAt(all, one.begin)).toBe(one);
      expect(innerFrame(one, one.begin)).toBe(one.piece.first);
      expect(innerFrame(one, one.begin + one.count + 9)).toBe(one.piece.last);
    }
  });

  it("is cut in two without a change of what is seen", () => {
    const one = laid(reel)[5];
    const after = applied(reel, parted(one, one.begin + 9, "new")) as Reel;
    expect(after.pieces.length).toBe(reel.pieces.length + 1);
    expect(after.pieces[6].first).toBe(after.pieces[5].last + 1);
    expect(after.pieces[6].last).toBe(one.piece.last);
    expect(parted(one, one.begin, "new")).toEqual([]);
  });

  it("is put in another order, trimmed within its shot, and moved by turns", () => {
    const ids = (of: Reel) => of.pieces.map((p) => p.id).join(" ");
    expect(ids(applied(reel, moved(0, 3)) as Reel)).toBe("p1 p2 p0 p3 p4 p5 p6 p7 p8");
    expect(ids(applied(reel, moved(4, 1)) as Reel)).toBe("p0 p4 p1 p2 p3 p5 p6 p7 p8");
    expect(moved(2, 2)).toEqual([]);
    const one = laid(reel)[5];
    expect(trimmed(one, "first", -1000, 400)[0].value).toBe(0);
    expect(trimmed(one, "last", 1000, 400)[0].value).toBe(399);
    expect(trimmed(one, "first", 1000, 400)[0].value).toBe(one.piece.last);
    const kinds = alternated(reel, { kind: "push in", size: 120 }).map(
      (op) => (op.value as { kind: string }).kind,
    );
    expect(kinds.slice(0, 3)).toEqual(["push in", "pull out", "push in"]);
  });
});
