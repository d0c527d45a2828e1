/** Small pictures of a reel's own frames, fetched as they come into sight and kept by their keys. */
import { SvelteMap } from "svelte/reactivity";
import { api } from "../lib/api";
import { Latest } from "../lib/latest";

const WIDTH = 132;
const KEPT = 400;

export class Tiles {
  /** The address of each frame's picture, as far as it is known. */
  urls = new SvelteMap<number, string>();
  private asks = new Latest();

  constructor(private shot: number) {}

  /** Wants the pictures of some frames as they are now; what was wanted before and is not any more is not asked for. */
  want(frames: number[]): void {
    this.asks.ask(async () => {
      for (const frame of frames) {
        if (this.asks.waits) return;
        const found = await api.keys(this.shot, { kind: "result" }, frame, frame, WIDTH);
        const url = api.picture(this.shot, found.keys[0], { kind: "result" }, frame, WIDTH, null);
        if (this.urls.get(frame) !== url) this.urls.set(frame, url);
      }
      for (const frame of this.urls.keys())
        if (this.urls.size > KEPT && !frames.includes(frame)) this.urls.delete(frame);
    }, 300);
  }
}
