/** A matte as it begins: with a trace, and nothing marked yet. */
export function newMatte(name: string, id: string) {
  const pull = {
    id: `${id}-trace`,
    kind: "trace",
    on: true,
    params: {},
    join: "add",
    strength: 1,
    invert: false,
    region: null,
    beyond: false,
    marks: [],
    shapes: [],
  };
  return { id, name, pulls: [pull], edge: {}, settled: null };
}
