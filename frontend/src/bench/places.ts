/** Places in the lists whose entries have cards: a card is dragged to another one of its own list. */
import type { LetGo } from "../lib/dragging";

export type Place = { list: string; at: number; move: (to: number) => void };

/** The place of what is dragged, or of what it is over. */
export const placeOf = (one: { data?: { place?: Place } } | null): Place | undefined =>
  one?.data?.place;

/** Takes a card to where it was let go. */
export function dropped({ operation, canceled }: LetGo): void {
  const [from, to] = [placeOf(operation.source), placeOf(operation.target)];
  if (!canceled && from && to && from.at !== to.at) from.move(to.at);
}
