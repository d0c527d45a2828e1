/** The bench's cards: in which order they lie, which are open, and how wide each is. */

export type Slip = {
  id: string;
  title: string;
  /** How many rows of fields it holds, and how many columns it needs at the least. */
  rows: number;
  columns?: number;
  /** Rows above its fields, over all columns; and the rows of the tallest field, which is never parted. */
  above?: number;
  tallest?: number;
  /** Whether something in it moves, and whether it is switched off. */
  moves?: boolean;
  off?: boolean;
  /** What changes nothing lies together in one spine, behind all else. */
  rests?: boolean;
};

export const COLUMN = 310; // pixels of a column of fields in which a slider has 110, its gap with it
export const SPINE = 34; // of a spine, its gap with it
const EDGES = 24; // of a card beside its columns
const ROW = 24;
const HEAD = 36; // of a card above its fields

/** How wide a card is that shows all of its fields at a height. */
export function widthOf(slip: Slip, height: number): number {
  const rows = Math.max(1, Math.floor((height - HEAD) / ROW - (slip.above ?? 0)));
  return Math.max(slip.columns ?? 1, Math.ceil(slip.rows / whole(slip, rows))) * COLUMN + EDGES;
}

/** Rows of a column that are filled: what is drawn is not parted. */
function whole(slip: Slip, rows: number): number {
  const tall = slip.tallest ?? 1;
  return Math.max(1, tall > 1 ? Math.floor(rows / tall) * tall : rows);
}

/** How high a card is that shows all of its fields in a width. */
export function heightOf(slip: Slip, width: number): number {
  const columns = Math.max(1, Math.floor((width - EDGES) / COLUMN));
  const tall = slip.tallest ?? 1;
  const rows = Math.ceil(slip.rows / columns / tall) * tall;
  return HEAD + (rows + (slip.above ?? 0)) * ROW;
}

/** The cards that are open: the chosen one always, then those opened last, then the others, as far as there is room. */
export function openCards(
  slips: Slip[],
  opened: string[],
  room: { width: number; height: number },
): Set<string> {
  const spines = slips.filter((one) => !one.rests || opened.includes(one.id));
  const resting = slips.length > spines.length ? SPINE : 0;
  const latest = [...opened].reverse().filter((id) => spines.some((one) => one.id === id));
  const order = [...latest, ...spines.map((one) => one.id).filter((id) => !latest.includes(id))];
  let left = room.width - resting - spines.length * SPINE;
  const open = new Set<string>();
  for (const id of order) {
    const more =
      widthOf(
        spines.find((one) => one.id === id)!,
        room.height,
      ) -
      SPINE +
      6;
    if (open.size && more > left) continue;
    open.add(id);
    left -= more;
  }
  return open;
}

/** The cards that were opened, with one more; the last one is the chosen one. */
export function opening(opened: string[], id: string): string[] {
  return [...opened.filter((one) => one !== id), id];
}

/** The same without one. */
export function folding(opened: string[], id: string): string[] {
  return opened.filter((one) => one !== id);
}

/** What a step is called: as somebody named it, else by its kind, from the second of a kind on with its number. */
export function called(
  label: string,
  steps: { kind: string; name?: string }[],
  index: number,
): string {
  const { kind, name } = steps[index];
  if (name) return name;
  const before = steps.slice(0, index).filter((one) => one.kind === kind).length;
  return before ? `${label} ${before + 1}` : label;
}
