/** Pictures of frames: keys are asked for in ranges, pictures fetched by key and kept as bitmaps. */
import { api } from "./api";

const MOST = 160; // bitmaps kept

export class Pictures {
  /** The frame's picture, as far as it is here. */
  shown = $state.raw<ImageBitmap | null>(null);
  shownKey = "";
  waiting = $state(false);
  /** Frames whose picture is here, for the sheet. */
  ready = $state(0);

  private keys: (string | null)[] = [];
  private bitmaps = new Map<string, ImageBitmap>();
  private loading = new Map<string, Promise<ImageBitmap | null>>();
  private turn = 0;
  private rest = 0;

  constructor(
    private shot: number,
    public view = "result",
    public width = 960,
  ) {}

  /** Forgets the keys (not the pictures) and shows the frame anew. */
  async refresh(view: string, width: number, frame: number, count: number): Promise<void> {
    const turn = ++this.turn;
    const other = view !== this.view || width !== this.width;
    this.view = view;
    this.width = width;
    clearTimeout(this.rest);
    // keys belong to one view at one size
    if (other) this.keys = [];
    try {
      const one = await api.keys(this.shot, view, frame, frame, width);
      if (turn !== this.turn) return;
      if (one.keys[0] !== this.keys[frame]) this.keys = [];
      this.keys[frame] = one.keys[0];
      await this.show(frame);
    } catch {
      // the next refresh tries again; a lost connection is told elsewhere
    }
    this.rest = window.setTimeout(() => void this.fetchKeys(turn, count), 150);
  }

  private async fetchKeys(turn: number, count: number): Promise<void> {
    try {
      const all = await api.keys(this.shot, this.view, 0, count - 1, this.width);
      if (turn === this.turn) this.keys = all.keys;
    } catch {
      // as above
    }
  }

  has(frame: number): boolean {
    const key = this.keys[frame];
    return !!key && this.bitmaps.has(key);
  }

  get known(): boolean {
    return this.keys.length > 1;
  }

  /** Shows the frame when it is here; else fetches it. Of frames asked for meanwhile only the last is fetched. */
  async show(frame: number): Promise<void> {
    this.wanted = frame;
    const key = this.keys[frame];
    const here = key ? this.bitmaps.get(key) : undefined;
    if (key && here) {
      this.put(key, here);
      return;
    }
    this.waiting = true;
    if (this.fetching) return;
    this.fetching = true;
    try {
      // keys may change while a picture is on its way: what was fetched is then not what is wanted
      for (
        let last = -1, turn = -1, key: string | null = null;
        last !== this.wanted || turn !== this.turn || (this.keys[last] ?? key) !== key;
      ) {
        last = this.wanted;
        turn = this.turn;
        key = await this.fetchOne(last);
      }
    } finally {
      this.fetching = false;
    }
  }

  private fetching = false;

  /** Fetches and shows a frame; the key that it had, if that could be told. */
  private async fetchOne(frame: number): Promise<string | null> {
    const turn = this.turn;
    let key = this.keys[frame];
    if (!key) {
      try {
        const one = await api.keys(this.shot, this.view, frame, frame, this.width);
        if (turn !== this.turn) return null;
        key = this.keys[frame] = one.keys[0];
      } catch {
        return null;
      }
    }
    const bitmap = this.bitmaps.get(key) ?? (await this.load(frame, key));
    if (bitmap && turn === this.turn && frame === this.wanted && key === this.keys[frame])
      this.put(key, bitmap);
    return key;
  }

  private wanted = -1;

  private put(key: string, bitmap: ImageBitmap): void {
    this.waiting = false;
    this.shownKey = key;
    this.shown = bitmap;
  }

  /** Fetches frames ahead of the playhead, a few at a time. */
  ahead(frames: number[]): void {
    for (const frame of frames) {
      if (this.loading.size >= 3) return;
      const key = this.keys[frame];
      if (key && !this.bitmaps.has(key)) void this.load(frame, key);
    }
  }

  private load(frame: number, key: string): Promise<ImageBitmap | null> {
    const under = this.loading.get(key);
    if (under) return under;
    const url = api.picture(this.shot, key, this.view, frame, this.width);
    const work = fetch(url)
      .then((answer) => (answer.ok ? answer.blob() : null))
      .then((blob) => (blob ? createImageBitmap(blob) : null))
      .catch(() => null)
      .then((bitmap) => {
        this.loading.delete(key);
        if (bitmap) {
          this.bitmaps.set(key, bitmap);
          while (this.bitmaps.size > MOST) {
            const oldest = this.bitmaps.keys().next().value!;
            if (oldest === this.shownKey) break;
            this.bitmaps.get(oldest)!.close();
            this.bitmaps.delete(oldest);
          }
          this.ready = this.bitmaps.size;
        }
        return bitmap;
      });
    this.loading.set(key, work);
    return work;
  }
}
