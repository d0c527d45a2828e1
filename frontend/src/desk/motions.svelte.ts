/** Where tracks are and how what rides on them is moved, as the server works it out; asked for anew as tracks change. */
import { SvelteMap } from "svelte/reactivity";
import { api } from "../lib/api";
import type { PathOut, Riding, SceneOut } from "../lib/api-types";
import { Latest } from "../lib/latest";
import type { Matrix } from "../lib/matrix";
import type { ShotStore } from "../lib/shot.svelte";

const PAUSE = 200; // ms from a change to the next question
const MOST = 60; // rides that are kept

const plain = ({ track, frame, how, smooth, still, widen, place, facing }: Riding): Riding => ({
  track,
  frame,
  how,
  smooth,
  still,
  widen,
  place,
  facing,
});
const keyOf = (riding: Riding) => JSON.stringify(plain(riding));

export class Motions {
  /** By a track's id. */
  paths = new SvelteMap<string, PathOut>();
  /** Of a camera, by its track's id. */
  scenes = new SvelteMap<string, SceneOut>();
  private known = new SvelteMap<string, Matrix[]>();
  private wanted = new Map<string, Riding>();
  private missing = new Map<string, Riding>();
  private asked = 0;
  private latest = new Latest();

  constructor(private shot: ShotStore) {}

  /** How something that rides is moved on a frame, between plate pixels; null until it is known. */
  at(riding: Riding, frame: number): Matrix | null {
    const key = keyOf(riding);
    const found = this.known.get(key);
    if (!found && !this.missing.has(key)) {
      this.missing.set(key, plain(riding));
      clearTimeout(this.asked);
      this.asked = window.setTimeout(() => void this.ask(this.missing), 20);
    }
    return found?.[Math.max(0, Math.min(found.length - 1, Math.round(frame)))] ?? null;
  }

  /** Asks for all of it anew, a moment later; what is known stays until then. */
  again(): void {
    this.latest.ask(async () => {
      await this.ask(this.wanted);
      await this.ways();
    }, PAUSE);
  }

  private async ask(of: Map<string, Riding>): Promise<void> {
    if (!of.size) return;
    const entries = [...of.entries()].slice(-MOST);
    try {
      const { motions } = await api.motions(
        this.shot.id,
        entries.map(([, riding]) => riding),
      );
      entries.forEach(([key, riding], i) => {
        this.wanted.delete(key);
        this.wanted.set(key, riding);
        this.known.set(key, motions[i]);
        this.missing.delete(key);
      });
    } catch {
      // the next change asks again; a lost connection is told elsewhere
      for (const [key] of entries) this.missing.delete(key);
    }
  }

  private async ways(): Promise<void> {
    for (const { id, kind } of this.shot.serverTracks) {
      try {
        if (kind === "camera") this.scenes.set(id, await api.scene(this.shot.id, id));
        else this.paths.set(id, await api.trackPath(this.shot.id, id));
      } catch {
        // as above
      }
    }
  }
}
