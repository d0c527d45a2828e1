/** The shots that lie in the open document, as they are now. */
import { api } from "../lib/api";
import type { InnerOut } from "../lib/api-types";
import type { Event } from "../lib/events";
import { Latest } from "../lib/latest";
import { notes } from "../lib/notes.svelte";
import type { ShotStore } from "../lib/shot.svelte";

export class Inside {
  /** By the ids of their entries; what is gone for good is missing. */
  shots = $state.raw<Record<string, InnerOut>>({});
  private known = "";
  private asks = new Latest();

  constructor(private shot: ShotStore) {}

  /** Asks anew where other shots lie in it than before. */
  again(): void {
    const now = this.shot.doc.footage.flatMap((one) => (one.shot ? [one.id] : [])).join(" ");
    if (now === this.known) return;
    this.known = now;
    this.load();
  }

  private load(): void {
    if (!this.known) {
      this.shots = {};
      return;
    }
    this.asks.ask(async () => {
      try {
        await this.shot.settled();
        this.shots = (await api.inside(this.shot.id)).shots;
      } catch (error) {
        notes.fault(error);
      }
    });
  }

  /** A change in a shot that lies in it is a change of its pictures. */
  told(event: Event): void {
    const mine = Object.values(this.shots);
    const changed =
      (event.event === "shot" || event.event === "frame") &&
      mine.some((one) => one.id === event.shot);
    const put =
      event.event === "project" && event.project === this.shot.about.project && this.known;
    if (!changed && !put) return;
    this.shot.version++;
    if (event.event !== "frame") this.load();
  }

  /** The name of an entry: the shot's own, or what it was called when it was laid in. */
  name(entry: string): string {
    const there = this.shots[entry]?.name;
    return there ?? this.shot.doc.footage.find((one) => one.id === entry)?.name ?? entry;
  }
}
