/** A look at every frame of a matte (chatter, jumps of area, holes) or of a take's join. Done when nothing else is waited for. */
import { api } from "../lib/api";
import type { CheckOut } from "../lib/api-types";
import type { ShotStore } from "../lib/shot.svelte";

const CALM = 1500; // ms without a change before the frames are looked at
const SPAN = 24; // frames a request; neighbouring spans share a frame, so that each knows the one before it

export class Checks {
  found = $state.raw<Map<number, CheckOut>>(new Map());
  private turn = 0;
  private timer = 0;

  constructor(private shot: ShotStore) {}

  /** Looks again after a change, at a take's join where one is chosen; what is known stays drawn until then. */
  again(matte: string | null, take: string | null): void {
    const turn = ++this.turn;
    const of = take ? { take } : { matte: matte ?? "" };
    clearTimeout(this.timer);
    if (!this.shot.onServer(take ?? matte ?? "")) {
      this.found = new Map();
      return;
    }
    this.timer = window.setTimeout(() => void this.look(of, turn), CALM);
  }

  private async look(of: { matte: string } | { take: string }, turn: number): Promise<void> {
    const found = new Map<number, CheckOut>();
    for (let first = 0; first < this.shot.count; first += SPAN) {
      if (turn !== this.turn || this.shot.following) return;
      try {
        const { checks } = await api.checks(this.shot.id, of, Math.max(0, first - 1), first + SPAN);
        // the overlap on both sides is there for the neighbours' sake
        for (const one of checks)
          if (one.frame >= first && one.frame < first + SPAN) found.set(one.frame, one);
      } catch {
        return; // the next change looks again; a lost connection is told elsewhere
      }
    }
    if (turn === this.turn) this.found = found;
  }
}

const SAYS = { chatter: "the edge chatters", jump: "the area jumps", hole: "a hole opens" };
const codes = (seam: number) => `the join is seen (${seam.toFixed(1)} of 255)`;

/** What stands out on a frame, in words; empty where nothing does. */
export function says(check: CheckOut | undefined): string {
  if (!check?.problems.length) return "";
  const parts = check.problems.map((problem) => {
    if (problem === "seam") return codes(check.seam);
    if (problem === "chatter") return `${SAYS.chatter} (${check.chatter.toFixed(1)} px)`;
    if (problem === "jump")
      return `${SAYS.jump} (${check.jump > 0 ? "+" : "−"}${Math.round(Math.abs(check.jump) * 100)} %)`;
    return SAYS.hole;
  });
  return parts.join(", ");
}
