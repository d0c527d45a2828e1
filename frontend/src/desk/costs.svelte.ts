/** What each plane took of the shown frame's time; asked for when the hand rests. */
import { api } from "../lib/api";
import type { ShotStore } from "../lib/shot.svelte";

export class Costs {
  found = $state.raw<Record<string, number>>({});
  private timer = 0;
  private turn = 0;

  constructor(private shot: ShotStore) {}

  again(frame: number, width: number): void {
    clearTimeout(this.timer);
    const mine = ++this.turn;
    this.timer = window.setTimeout(async () => {
      try {
        const { costs } = await api.costs(this.shot.id, frame, width);
        if (mine === this.turn) this.found = costs;
      } catch {
        // the next change asks again
      }
    }, 900);
  }
}
