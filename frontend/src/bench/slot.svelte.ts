/** What a card knows of its place on the bench. */
import { getContext, setContext } from "svelte";

export type CardSlot = {
  /** Pixels. */
  readonly width: number;
  /** Whether it is the chosen one, which takes the room that is left. */
  readonly chosen: boolean;
  pick: () => void;
  fold: () => void;
};

const KEY = Symbol("card");

export function cardOf(): CardSlot {
  return getContext<CardSlot>(KEY);
}

export function placeCard(slot: CardSlot): void {
  setContext(KEY, slot);
}
