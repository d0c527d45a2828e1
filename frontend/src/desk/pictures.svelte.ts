/** Pictures of frames: keys are asked for in ranges, pictures fetched by key and kept as bitmaps. */
import { api, viewText } from "../lib/api";
import type { AnyView } from "../lib/api-types";

const MOST = 400e6; // bytes of bitmaps kept
const TRIES = 6; // for a picture that does not come: its key may be of the shot as it was,
const PAUSE = 250; // and ms from one to the next
const CHUNK = 32; // frames whose keys are asked for together

const size = (bitmap: ImageBitmap) => bitmap.width * bitmap.height * 4;

export class Pictures {
  /** The frame's picture, as far as it is here. */
  shown = $state.raw<ImageBitmap | null>(null);
  shownKey = "";
  shownFrame = $state(-1);
  /** Counts up with each picture that comes. */
  ready = $state(0);

  /** Bytes of the bitmaps that are here. */
  private held = 0;
  private keys: (string | null)[] = [];
  private bitmaps = new Map<string, ImageBitmap>();
  private loading = new Map<string, Promise<ImageBitmap | null>>();
  private turn = 0;
  private rest = 0;
  /** The pieces of the shot whose keys were asked for, and how many frames it has. */
  private asked = new Set<number>();
  private total = 0;

  constructor(
    private shot: number,
    public view: AnyView = { kind: "result" },
    public width = 960,
    /** The version that is shown, where it is not how the shot stands now. */
    public version: number | null = null,
  ) {}

  /** Forgets the keys (not the pictures) and shows the frame anew. */
  async refresh(
    view: AnyView,
    width: number,
    frame: number,
    count: number,
    version: number | null = null,
  ): Promise<void> {
    const turn = ++this.turn;
    this.wanted = frame;
    const other =
      viewText(view) !== viewText(this.view) || width !== this.width || version !== this.version;
    this.view = view;
    this.width = width;
    this.version = version;
    this.total = count;
    clearTimeout(this.rest);
    // keys belong to one view at one size
    if (other) this.forget();
    const key = await this.keyOf(frame);
    if (turn !== this.turn) return;
    if (!key || key !== this.keys[frame]) this.forget();
    if (key) this.keys[frame] = key;
    // where the playhead went on meanwhile, not back to where it was
    await this.show(this.wanted);
    if (turn !== this.turn) return;
    // a change may have reached other frames than the one that is looked at: theirs are asked for anew
    this.asked.clear();
    this.rest = window.setTimeout(() => {
      const piece = Math.floor(this.wanted / CHUNK);
      void this.fetchKeys(piece).then(() => this.fetchKeys(piece + 1));
    }, 150);
  }

  private forget(): void {
    this.keys = [];
    this.asked.clear();
  }

  /** Asks for the keys of a piece of the shot, once: those of what is seen and of what is played next. */
  private async fetchKeys(piece: number): Promise<void> {
    const first = piece * CHUNK;
    if (this.asked.has(piece) || first < 0 || first >= this.total) return;
    this.asked.add(piece);
    const turn = this.turn;
    const last = Math.min(this.total, first + CHUNK) - 1;
    try {
      const found = await api.keys(this.shot, this.view, first, last, this.width, this.version);
      if (turn === this.turn) found.keys.forEach((key, n) => (this.keys[first + n] = key));
    } catch {
      if (turn === this.turn) this.asked.delete(piece); // frames ask for their own
    }
  }

  /** A frame's key, or null where it could not be told; a lost connection is told elsewhere. */
  private async keyOf(frame: number): Promise<string | null> {
    try {
      return (await api.keys(this.shot, this.view, frame, frame, this.width, this.version)).keys[0];
    } catch {
      return null;
    }
  }

  has(frame: number): boolean {
    const key = this.keys[frame];
    return !!key && this.bitmaps.has(key);
  }

  /** How many frames of a range are here. */
  count(first: number, last: number): number {
    void this.ready;
    let found = 0;
    for (let frame = first; frame <= last; frame++) if (this.has(frame)) found++;
    return found;
  }

  /** How many pictures like the one shown are kept; more of them, and the first would go before they are played. */
  get room(): number {
    return this.shown ? Math.max(8, Math.floor(MOST / size(this.shown)) - 8) : 8;
  }

  /** Shows the frame when it is here; else fetches it. Of frames asked for meanwhile only the last is fetched. */
  async show(frame: number): Promise<void> {
    this.wanted = frame;
    const key = this.keys[frame];
    const here = key ? this.bitmaps.get(key) : undefined;
    if (key && here) {
      this.put(key, here, frame);
      return;
    }
    if (this.fetching) return;
    this.fetching = true;
    try {
      for (let missed = 0; missed < TRIES;) {
        const [last, turn] = [this.wanted, this.turn];
        const key = await this.fetchOne(last);
        // keys may change or be forgotten while a picture is on its way: what was fetched is then not shown
        const same = last === this.wanted && turn === this.turn;
        if (!same || (this.keys[last] ?? null) !== key) missed = 0;
        else if (key) break;
        else if (++missed < TRIES) await new Promise((done) => window.setTimeout(done, PAUSE));
      }
    } finally {
      this.fetching = false;
    }
  }

  private fetching = false;

  /** Fetches a frame, shows it if it is wanted still, and gives the key that it had; null where it did not come. */
  private async fetchOne(frame: number): Promise<string | null> {
    const turn = this.turn;
    const key = this.keys[frame] ?? (await this.keyOf(frame));
    if (!key || turn !== this.turn) return null;
    this.keys[frame] ??= key;
    const bitmap = this.bitmaps.get(key) ?? (await this.load(frame, key));
    if (turn !== this.turn) return null;
    if (!bitmap) {
      if (key === this.keys[frame]) this.keys[frame] = null;
      return null;
    }
    if (frame === this.wanted && key === this.keys[frame]) this.put(key, bitmap, frame);
    return key;
  }

  private wanted = -1;

  private put(key: string, bitmap: ImageBitmap, frame: number): void {
    this.shownFrame = frame;
    this.shownKey = key;
    this.shown = bitmap;
  }

  /** Fetches frames ahead of the playhead, a few at a time. */
  ahead(frames: number[]): void {
    for (const frame of frames) {
      if (this.loading.size >= 3) return;
      if (!this.keys[frame] && this.rest) void this.fetchKeys(Math.floor(frame / CHUNK));
      const key = this.keys[frame];
      if (key && !this.bitmaps.has(key)) void this.load(frame, key);
    }
  }

  private load(frame: number, key: string): Promise<ImageBitmap | null> {
    const under = this.loading.get(key);
    if (under) return under;
    const url = api.picture(this.shot, key, this.view, frame, this.width, this.version);
    const work = fetch(url)
      .then((answer) => (answer.ok ? answer.blob() : null))
      .then((blob) => (blob ? createImageBitmap(blob) : null))
      .catch(() => null)
      .then((bitmap) => {
        this.loading.delete(key);
        if (bitmap) {
          this.bitmaps.set(key, bitmap);
          this.held += size(bitmap);
          for (const [oldest, old] of this.bitmaps) {
            if (this.held <= MOST || oldest === this.shownKey) break;
            this.held -= size(old);
            old.close();
            this.bitmaps.delete(oldest);
          }
          this.ready++;
        }
        return bitmap;
      });
    this.loading.set(key, work);
    return work;
  }
}
