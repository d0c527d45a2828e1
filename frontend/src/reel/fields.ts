/** Which fields of a move or a join count for its kind. */
import type { DeclaredOut, FieldOut } from "../lib/api-types";

type Values = Record<string, unknown>;

/** For which kinds a field counts; one that is not named here counts for all but the first kind, which is at rest. */
const OF_MOVES: Record<string, string[]> = {
  size: ["push in", "pull out", "slide"],
  direction: ["slide"],
  way: ["slide"],
  from_size: ["from and to"],
  to_size: ["from and to"],
  from_place: ["from and to"],
  to_place: ["from and to"],
  from_turn: ["from and to"],
  to_turn: ["from and to"],
  towards: ["push in", "pull out", "from and to"],
  place: ["push in", "pull out", "from and to"],
  track: ["push in", "pull out", "from and to"],
};
const OF_JOINS: Record<string, string[]> = {
  direction: ["push", "cover", "uncover"],
  shutter: ["push", "cover", "uncover"],
  samples: ["push", "cover", "uncover"],
  colour: ["colour"],
  of: ["matte"],
  matte: ["matte"],
  inward: ["matte"],
  soft: ["matte"],
};

export function shownFields(entry: DeclaredOut, values: Values): FieldOut[] {
  const of = (name: string) =>
    values[name] ?? entry.fields.find((field) => field.name === name)?.default;
  if (entry.family === "fitting") return entry.fields;
  const kind = String(of("kind"));
  const kinds = entry.family === "move" ? OF_MOVES : OF_JOINS;
  const rests = kind === entry.fields[0].options[0];
  return entry.fields.filter((field) => {
    if (field.name === "kind") return true;
    if (rests || !(kinds[field.name]?.includes(kind) ?? true)) return false;
    if (field.name === "drawn") return of("ease") === "drawn";
    if (field.name === "place") return of("towards") === "a place";
    if (field.name === "track") return of("towards") === "a track";
    return true;
  });
}
