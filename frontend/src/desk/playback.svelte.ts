/** Which frame is shown, and playing on from it. */
import type { ShotStore } from "../lib/shot.svelte";
import { Heard } from "./heard.svelte";
import { Pictures } from "./pictures.svelte";
import type { View } from "./view.svelte";

/** Widths of pictures while playing what is not here yet: the first that keeps up is stayed with. */
const PREVIEWS = [Infinity, 480, 320];
/** Milliseconds of waiting for pictures until a smaller preview is taken. */
const PATIENCE = 600;
/** Pictures that are to be here before sound comes in. */
const LEAD = 6;

export class Playback {
  frame = $state(0);
  playing = $state(false);
  loop = $state.raw<[number, number] | null>(null);
  /** The loop that is played there and back; another one is played on and on. */
  private swung = $state.raw<[number, number] | null>(null);
  /** Which way it is played. */
  private way: 1 | -1 = 1;
  /** The pictures of the view, and those of what stands beside it. */
  pictures: Pictures;
  beside: Pictures;
  heard: Heard;
  /** Which of the previews playing shows. */
  private preview = $state(0);
  private timer = 0;
  private clock = 0;
  /** Whether sound is about to come in. */
  private joining = false;

  constructor(
    private shot: ShotStore,
    private view: View,
  ) {
    this.pictures = new Pictures(shot.id);
    this.beside = new Pictures(shot.id);
    this.heard = new Heard(shot, () => this.fps);
    this.frame = shot.range[0];
  }

  /** The frame of the picture that is seen: what is drawn over it, and what the hand does there, is of that frame. */
  get seen(): number {
    const { shownFrame } = this.pictures;
    return shownFrame >= 0 && shownFrame < this.shot.count ? shownFrame : this.frame;
  }

  get fps(): number {
    return this.shot.doc.format.fps ?? this.shot.about.plate.fps;
  }

  /** How wide pictures are asked for. */
  get width(): number {
    const plate = this.shot.about.plate.width;
    const still = this.view.full ? plate : Math.min(960, plate);
    return this.playing ? Math.min(still, PREVIEWS[this.preview]) : still;
  }

  get first(): number {
    return this.loop?.[0] ?? this.shot.range[0];
  }

  get last(): number {
    return this.loop?.[1] ?? this.shot.range[1];
  }

  /** Sets the range's first or last frame, in plate frames from 0; the loop ends. */
  setRange(first: number, last: number, gesture: string | null = null): void {
    const [from, to] = [Math.max(0, first), Math.min(this.shot.count - 1, last)];
    if (from > to) return;
    const value = { first: from || null, last: to === this.shot.count - 1 ? null : to };
    this.shot.edit([{ op: "replace", path: "/range", value }], "range", gesture);
  }

  go(frame: number): void {
    const to = Math.max(0, Math.min(this.shot.count - 1, Math.round(frame)));
    if (to === this.frame) return;
    this.frame = to;
    void this.pictures.show(to).then(() => this.prefetch(4));
    if (this.view.split) void this.beside.show(to);
    if (!this.playing) void this.heard.scrub(to);
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

  get swings(): boolean {
    return !!this.loop && this.loop === this.swung;
  }

  /** Plays some frames there and back, silently. */
  swing(first: number, last: number): void {
    this.stop();
    this.loop = this.swung = [Math.max(0, first), Math.min(this.shot.count - 1, last)];
    this.way = 1;
    this.play();
  }

  /** The frame that is played after this one. */
  private get following(): number {
    if (!this.swings) return this.frame >= this.last ? this.first : this.frame + 1;
    if (this.frame >= this.last) this.way = -1;
    else if (this.frame <= this.first) this.way = 1;
    return Math.max(this.first, this.frame + this.way);
  }

  toggle(): void {
    if (this.playing) this.stop();
    else this.play();
  }

  play(): void {
    if (this.pictures.count(this.first, this.last) === this.last - this.first + 1) this.preview = 0;
    this.playing = true;
    if (this.frame < this.first || this.frame >= this.last) this.go(this.first);
    const period = 1000 / this.fps;
    this.clock = performance.now();
    let waited = 0;
    let last = this.clock;
    const tick = (now: number) => {
      if (!this.playing) return;
      this.prefetch(Math.min(this.last - this.first, this.pictures.room));
      const time = this.heard.time;
      if (time !== null) this.withSound(time);
      else if (now - this.clock >= period - 2) {
        const next = this.following;
        if (this.pictures.has(next)) {
          // the clock runs on evenly; a frame that is late does not make the next one early
          this.clock = Math.max(this.clock + period, now - period);
          this.shows(next);
          void this.sound();
        } else if (now - this.clock > period && !this.view.full) {
          // it does not keep up: smaller pictures do, and from the second time round all of them are here
          waited += Math.min(now - last, 100);
          if (waited > PATIENCE && this.preview < PREVIEWS.length - 1) {
            this.preview++;
            waited = 0;
          }
        }
      }
      last = now;
      this.timer = requestAnimationFrame(tick);
    };
    this.timer = requestAnimationFrame(tick);
  }

  /** A frame that is here, while playing. */
  private shows(frame: number): void {
    this.frame = frame;
    void this.pictures.show(frame);
    if (this.view.split) void this.beside.show(frame);
  }

  /** Lets the sound come in with the frame that is shown, once the pictures that follow are here. */
  private async sound(): Promise<void> {
    if (this.joining || this.heard.running || !this.heard.there || this.swings) return;
    for (let next = this.frame + 1; next <= Math.min(this.last, this.frame + LEAD); next++)
      if (!this.pictures.has(next)) return;
    this.joining = true;
    await this.heard.play(() => this.frame);
    this.joining = false;
    if (!this.playing) this.heard.stop();
  }

  /** Shows the frame that is heard; where its picture is not here yet, the sound waits. */
  private withSound(time: number): void {
    void this.heard.more();
    const wanted = Math.floor(time * this.fps + 1e-3);
    if (wanted === this.frame) return;
    if (wanted > this.last) {
      this.heard.stop();
      this.clock = performance.now();
      this.shows(this.first);
      void this.sound();
      return;
    }
    if (wanted < this.frame || !this.pictures.has(wanted)) {
      // a frame or two are caught up with; what is not here makes the sound wait for it
      if (wanted > this.frame + 2) {
        this.heard.stop();
        this.clock = performance.now();
      }
      return;
    }
    this.clock = performance.now();
    this.shows(wanted);
  }

  stop(): void {
    this.playing = false;
    this.heard.stop();
    cancelAnimationFrame(this.timer);
  }
}
