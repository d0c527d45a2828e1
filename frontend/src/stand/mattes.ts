import type { Pull } from "../lib/api-types";

/** A pull as it begins: it adds, with all its strength, and nothing was drawn for it. */
export function newPull(id: string, kind: string): Pull {
  return {
    id,
    kind,
    name: "",
    on: true,
    params: {},
    join: "add",
    strength: 1,
    invert: false,
    region: null,
    beyond: false,
    marks: [],
    shapes: [],
    ride: null,
  };
}

/** A matte as it begins: with a trace, and nothing marked yet. */
export function newMatte(name: string, id: string) {
  return { id, name, of: null, pulls: [newPull(`${id}-trace`, "trace")], edge: {}, settled: null };
}
