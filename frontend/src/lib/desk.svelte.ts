/** What the person is looking at and working with; none of it is part of the document. */
import type { Pull } from "./api-types";
import { Checks } from "./checks.svelte";
import { Pictures } from "./pictures.svelte";
import { ShotStore } from "./shot.svelte";

export type Mode = "result" | "veil" | "matte" | "cutout" | "unroll" | "onion";
export type Tool = "in" | "out" | "lasso" | "near" | "erase" | "hand" | "sample";
export type Ground = "black" | "white" | "grey" | "checks";
export type Selection = { kind: "matte" | "plane"; id: string };
export type Slide = "none" | "footage" | "exports";

export class Desk {
  frame = $state(0);
  playing = $state(false);
  loop = $state.raw<[number, number] | null>(null);
  mode = $state<Mode>("result");
  ground = $state<Ground>("checks");
  tool = $state<Tool>("in");
  brush = $state(6);
  /** The colour key that the next drag over the picture sets. */
  sampling = $state<string | null>(null);
  full = $state(false);
  /** While B is held: the matte before its edge step. */
  bare = $state(false);
  selected = $state.raw<Selection | null>(null);
  slide = $state<Slide>("none");
  keysOpen = $state(false);
  /** The control under the pointer that K keys. */
  hovered: (() => void) | null = null;
  pictures: Pictures;
  checks: Checks;
  private timer = 0;
  private clock = 0;

  constructor(readonly shot: ShotStore) {
    this.pictures = new Pictures(shot.id);
    this.checks = new Checks(shot);
    const doc = shot.doc!;
    if (doc.mattes.length) this.selected = { kind: "matte", id: doc.mattes[0].id };
    else if (doc.planes.length) this.selected = { kind: "plane", id: doc.planes[0].id };
  }

  /** The matte that the views show: the selected one, or the one that the selected plane uses. */
  get matteId(): string | null {
    const doc = this.shot.doc!;
    if (this.selected?.kind === "matte" && this.shot.matte(this.selected.id))
      return this.selected.id;
    const plane = this.selected?.kind === "plane" ? this.shot.plane(this.selected.id) : undefined;
    return plane?.matte ?? plane?.gate?.matte ?? doc.mattes[0]?.id ?? null;
  }

  get trace(): Pull | undefined {
    return this.shot.trace(this.shot.matte(this.matteId));
  }

  /** Whether marks can be drawn now; the unrolled strip is no picture to draw on. */
  get marking(): boolean {
    return this.selected?.kind === "matte" && !!this.trace && this.mode !== "unroll";
  }

  get view(): string {
    const matte = this.matteId;
    if (this.mode === "result") return "result";
    if (!matte || !this.shot.onServer(matte)) return "plate";
    const view =
      this.mode === "cutout" ? `cutout:${matte}:${this.ground}` : `${this.mode}:${matte}`;
    return this.bare ? `bare-${view}` : view;
  }

  get width(): number {
    const plate = this.shot.about!.plate.width;
    return this.full ? plate : Math.min(960, plate);
  }

  get first(): number {
    return this.loop?.[0] ?? 0;
  }

  get last(): number {
    return this.loop?.[1] ?? this.shot.count - 1;
  }

  go(frame: number): void {
    const to = Math.max(0, Math.min(this.shot.count - 1, Math.round(frame)));
    if (to === this.frame) return;
    this.frame = to;
    void this.pictures.show(to).then(() => this.prefetch(4));
  }

  private prefetch(reach: number): void {
    const span = this.last - this.first + 1;
    const frames = [];
    for (let i = 1; i <= reach; i++) {
      const next = this.frame + i;
      frames.push(
        this.playing && next > this.last ? this.first + ((next - this.first) % span) : next,
      );
    }
    this.pictures.ahead(frames.filter((f) => f >= 0 && f < this.shot.count));
  }

  toggle(): void {
    if (this.playing) this.stop();
    else this.play();
  }

  play(): void {
    this.playing = true;
    if (this.frame < this.first || this.frame >= this.last) this.go(this.first);
    const period = 1000 / this.shot.about!.plate.fps;
    this.clock = performance.now();
    const tick = (now: number) => {
      if (!this.playing) return;
      this.prefetch(24);
      if (now - this.clock >= period - 2) {
        const next = this.frame >= this.last ? this.first : this.frame + 1;
        if (this.pictures.has(next)) {
          // the clock runs on evenly; a frame that is late does not make the next one early
          this.clock = Math.max(this.clock + period, now - period);
          this.frame = next;
          void this.pictures.show(next);
        }
      }
      this.timer = requestAnimationFrame(tick);
    };
    this.timer = requestAnimationFrame(tick);
  }

  stop(): void {
    this.playing = false;
    cancelAnimationFrame(this.timer);
  }

  /** The next or previous frame that is in doubt, touched, or that a check points out; wraps around. */
  problem(step: 1 | -1): void {
    const stored = [...(this.shot.frames.get(this.trace?.id ?? "")?.values() ?? [])]
      .filter((f) => f.origin === "touched" || f.doubt > DOUBTFUL)
      .map((f) => f.frame);
    const checked = [...this.checks.found.values()]
      .filter((c) => c.problems.length)
      .map((c) => c.frame);
    const rows = [...new Set([...stored, ...checked])].sort((a, b) => a - b);
    if (!rows.length) return;
    const next =
      step > 0
        ? (rows.find((f) => f > this.frame) ?? rows[0])
        : (rows.findLast((f) => f < this.frame) ?? rows.at(-1)!);
    this.go(next);
  }
}

export const DOUBTFUL = 0.5;
