import { expect, test } from "vitest";
import { COLUMN, folding, heightOf, openCards, opening, widthOf, type Slip, called } from "./slips";

const slip = (id: string, rows = 6, more: Partial<Slip> = {}): Slip => ({
  id,
  title: id,
  rows,
  ...more,
});
const SMALL = { width: 784, height: 190 };
const WIDE = { width: 1640, height: 190 };

test("a card is as wide as its fields need at the bench's height", () => {
  expect(widthOf(slip("a", 6), 190)).toBe(COLUMN + 24);
  expect(widthOf(slip("a", 13), 190)).toBe(3 * COLUMN + 24);
  expect(widthOf(slip("a", 13), 400)).toBe(COLUMN + 24);
  expect(widthOf(slip("a", 2, { columns: 2 }), 190)).toBe(2 * COLUMN + 24);
});

test("where there is no room one card is open: the one that was opened last", () => {
  const slips = ["a", "b", "c", "d", "e", "f", "g", "h"].map((id) => slip(id, 13));
  expect([...openCards(slips, ["b", "f"], SMALL)]).toEqual(["f"]);
  expect([...openCards(slips, [], SMALL)]).toEqual(["a"]);
});

test("as many cards are open as fit, those opened last first, and the chosen one always", () => {
  const slips = ["a", "b", "c", "d"].map((id) => slip(id));
  expect([...openCards(slips, ["d"], WIDE)]).toEqual(["d", "a", "b", "c"]);
  expect([...openCards(slips, ["c", "a"], { width: 760, height: 190 })]).toEqual(["a", "c"]);
  expect([...openCards([slip("wide", 200), slip("b")], ["wide"], SMALL)]).toEqual(["wide"]);
});

test("what rests stays folded until it is asked for", () => {
  const slips = [slip("line"), slip("glow"), slip("placement", 16, { rests: true })];
  expect(openCards(slips, [], WIDE).has("placement")).toBe(false);
  expect(openCards(slips, ["placement"], WIDE).has("placement")).toBe(true);
});

test("opening and folding keep the order in which cards were opened", () => {
  expect(opening(["a", "b"], "a")).toEqual(["b", "a"]);
  expect(folding(["a", "b"], "a")).toEqual(["b"]);
});

test("a card is as high as its fields need in a width, and shows all of them there", () => {
  const wide = { rows: 13, above: 2 };
  for (const card of [slip("a", 13), slip("b", 30, { tallest: 5 }), slip("c", 13, wide)])
    for (const width of [360, 700, 1000])
      expect(widthOf(card, heightOf(card, width))).toBeLessThanOrEqual(width);
  expect(heightOf(slip("b", 30, { tallest: 5 }), 1000)).toBe(36 + 10 * 24);
});

test("steps of one kind are told apart by their numbers", () => {
  const kinds = ["glow", "grade", "glow", "glow"];
  expect(
    kinds.map((kind, n) =>
      called(
        kind,
        kinds.map((one) => ({ kind: one })),
        n,
      ),
    ),
  ).toEqual(["glow", "grade", "glow 2", "glow 3"]);
  expect(
    called(
      "glow",
      [
        { kind: "glow", name: "" },
        { kind: "glow", name: "halo" },
      ],
      1,
    ),
  ).toBe("halo");
});
