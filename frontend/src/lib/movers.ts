/** The values of a plane or a matte that may move, and where they lie in the document. */
import type { CatalogueOut, FieldOut, Matte, Plane } from "./api-types";
import { isDriver, keysOf } from "./values";

export type Mover = { path: string; about: string; name: string; value: unknown };

function each(path: string, about: string, params: Record<string, unknown>): Mover[] {
  return Object.entries(params ?? {}).map(([name, value]) => ({
    path: `${path}/${name}`,
    about,
    name,
    value,
  }));
}

export function moversOfPlane(plane: Plane, path: string): Mover[] {
  return [
    { path: `${path}/opacity`, about: "laying laying", name: "opacity", value: plane.opacity },
    ...(plane.gate
      ? (["inner", "outer", "soft"] as const).map((name) => ({
          path: `${path}/gate/${name}`,
          about: "gate gate",
          name,
          value: plane.gate![name],
        }))
      : []),
    ...each(`${path}/params`, `plane ${plane.kind}`, plane.params),
    ...each(`${path}/placement`, "placement placement", plane.placement),
    ...each(`${path}/time`, "time time", plane.time),
    ...plane.treatments.flatMap((step, i) =>
      each(`${path}/treatments/${i}/params`, `treatment ${step.kind}`, step.params),
    ),
  ];
}

export function moversOfMatte(matte: Matte, path: string): Mover[] {
  return [
    ...matte.pulls.flatMap((pull, i) => [
      {
        path: `${path}/pulls/${i}/strength`,
        about: "joining joining",
        name: "strength",
        value: pull.strength,
      },
      ...each(`${path}/pulls/${i}/params`, `pull ${pull.kind}`, pull.params),
    ]),
    ...each(`${path}/edge`, "edge edge", matte.edge),
  ];
}

export const moves = (value: unknown) => isDriver(value) || keysOf(value).length > 0;

/** What a mover is called, and its field, as far as the catalogue has one. */
export function named(
  mover: Mover,
  catalogue: CatalogueOut,
): { label: string; field: FieldOut | null } {
  const [family, kind] = mover.about.split(" ");
  const entry = catalogue.declared.find((d) => d.family === family && d.kind === kind);
  const field = entry?.fields.find((f) => f.name === mover.name) ?? null;
  // what lies with a plane or a pull itself needs no more than its own name
  const plain = family === "laying" || family === "joining";
  if (entry && field)
    return { label: plain ? field.label : `${entry.label}: ${field.label}`, field };
  return { label: mover.name[0].toUpperCase() + mover.name.slice(1), field: null };
}

/** The frames of all keys among values, and whether all of them hold from there. */
export function keyFrames(movers: { value: unknown }[]): Map<number, boolean> {
  const found = new Map<number, boolean>();
  for (const { value } of movers)
    for (const key of keysOf(value))
      found.set(key.frame, (found.get(key.frame) ?? true) && key.ease === "hold");
  return found;
}
