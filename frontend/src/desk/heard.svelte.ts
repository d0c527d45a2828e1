/** What is heard of the shot: fetched in pieces under its key, played in step with the pictures, drawn as a wave. */
import { api } from "../lib/api";
import type { SoundHeard } from "../lib/api-types";
import { notes } from "../lib/notes.svelte";
import type { ShotStore } from "../lib/shot.svelte";

/** Seconds that are heard of a frame while the hand goes through time. */
const SCRUB = 0.09;

export class Heard {
  about = $state.raw<SoundHeard | null>(null);
  /** How loud it is, 0 to 255, `about.peaks` a frame. */
  peaks = $state.raw<Uint8Array | null>(null);
  on = $state(localStorage.getItem("sound") !== "off");
  scrubs = $state(localStorage.getItem("scrub") !== "off");
  /** Whether something is to be heard right now. */
  running = $state(false);

  private context: AudioContext | null = null;
  private gain: GainNode | null = null;
  private pieces = new Map<number, Promise<AudioBuffer | null>>();
  private sources: AudioBufferSourceNode[] = [];
  /** The moment of the shot that is heard at a moment of the audio clock. */
  private from = 0;
  private at = 0;
  private asked = 0;
  private next = 0;
  /** Counts the times that sound was begun or stopped. */
  private run = 0;
  private scrubbed = 0;

  constructor(
    private shot: ShotStore,
    private fps: () => number,
  ) {}

  get there(): boolean {
    return !!this.about?.pieces;
  }

  /** Asks anew what the shot sounds like; what is known of the same sound stays. */
  async again(): Promise<void> {
    const turn = ++this.asked;
    try {
      await this.shot.settled();
      const about = await api.sound(this.shot.id);
      if (turn !== this.asked || about.key === this.about?.key) return;
      this.stop();
      this.pieces.clear();
      this.about = about;
      this.peaks = null;
      if (!about.pieces) return;
      const { peaks } = await api.peaks(this.shot.id, about.key);
      // it may have been asked again meanwhile, and be the same sound still
      if (about.key === this.about?.key)
        this.peaks = Uint8Array.from(atob(peaks), (c) => c.charCodeAt(0));
    } catch (error) {
      notes.fault(error);
    }
  }

  turn(on: boolean): void {
    this.on = on;
    localStorage.setItem("sound", on ? "on" : "off");
    if (this.gain) this.gain.gain.value = on ? 1 : 0;
  }

  setScrubs(on: boolean): void {
    this.scrubs = on;
    localStorage.setItem("scrub", on ? "on" : "off");
  }

  /** The moment of the shot that is heard now, in seconds; null while nothing is. */
  get time(): number | null {
    if (!this.running || !this.context) return null;
    // what was handed over is heard a little later
    const late = this.context.outputLatency || 0;
    return Math.max(this.from, this.from + this.context.currentTime - this.at - late);
  }

  private pieceOf(frame: number): number {
    return Math.floor(frame / this.fps() / this.about!.seconds);
  }

  private piece(n: number): Promise<AudioBuffer | null> {
    const about = this.about!;
    if (n < 0 || n >= about.pieces) return Promise.resolve(null);
    let found = this.pieces.get(n);
    if (!found) {
      found = fetch(api.piece(this.shot.id, about.key, n))
        .then((answer) => (answer.ok ? answer.arrayBuffer() : null))
        .then((data) => (data ? this.opened().decodeAudioData(data) : null))
        .catch(() => null);
      this.pieces.set(n, found);
    }
    return found;
  }

  private opened(): AudioContext {
    if (!this.context) {
      this.context = new AudioContext({ latencyHint: "interactive", sampleRate: 48_000 });
      this.gain = this.context.createGain();
      this.gain.gain.value = this.on ? 1 : 0;
      this.gain.connect(this.context.destination);
    }
    return this.context;
  }

  /** Begins to sound from a frame on; answers whether it does, once what is needed is here. */
  async play(frame: () => number): Promise<boolean> {
    this.stop();
    const about = this.about;
    if (!about?.pieces) return false;
    const turn = this.asked;
    const context = this.opened();
    await context.resume();
    if (!(await this.piece(this.pieceOf(frame()))) || turn !== this.asked) return false;
    this.stop();
    // time may have gone on while it was fetched
    this.from = frame() / this.fps();
    this.at = context.currentTime;
    this.next = this.pieceOf(frame());
    this.running = true;
    await this.more();
    return true;
  }

  /** Hands over the pieces that are due within the next seconds. */
  async more(): Promise<void> {
    const about = this.about;
    const run = this.run;
    while (this.running && run === this.run && about && this.next < about.pieces) {
      const begins = this.next * about.seconds;
      const heard = this.from + this.context!.currentTime - this.at;
      if (begins - heard > about.seconds) return;
      const n = this.next++;
      const buffer = await this.piece(n);
      // it may have been stopped, and begun anew elsewhere, meanwhile
      if (!buffer || !this.running || run !== this.run) return;
      const offset = Math.max(0, this.from - begins);
      const source = new AudioBufferSourceNode(this.context!, { buffer });
      source.connect(this.gain!);
      source.start(this.at + Math.max(0, begins - this.from), offset);
      this.sources.push(source);
      void this.piece(n + 1);
    }
  }

  stop(): void {
    this.run++;
    this.running = false;
    for (const source of this.sources) source.stop();
    this.sources = [];
  }

  /** A frame's own moment, shortly. */
  async scrub(frame: number): Promise<void> {
    const about = this.about;
    if (!about?.pieces || !this.on || !this.scrubs || this.running) return;
    const turn = ++this.scrubbed;
    const start = frame / this.fps();
    const n = this.pieceOf(frame);
    const buffer = await this.piece(n);
    if (!buffer || turn !== this.scrubbed || this.running) return;
    const context = this.opened();
    if (context.state === "suspended") await context.resume();
    const fade = new GainNode(context, { gain: 1 });
    fade.connect(this.gain!);
    const now = context.currentTime;
    fade.gain.setValueAtTime(1, now + SCRUB * 0.6);
    fade.gain.linearRampToValueAtTime(0, now + SCRUB);
    const source = new AudioBufferSourceNode(context, { buffer });
    source.connect(fade);
    source.start(now, start - n * about.seconds, SCRUB);
  }
}
