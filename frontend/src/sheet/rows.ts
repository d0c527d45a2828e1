/** Where the rows of the sheet lie: what is outside the range takes a thin stripe at either end, unless it is unfolded. */

export const STRIPE = 14;
/** Rows are at least so high, in pixels, and at the most. */
export const LEAST = 2.2;
export const MOST = 48;

export class Rows {
  /** The frames that have a row each. */
  readonly first: number;
  readonly last: number;
  /** The height of a row. */
  readonly row: number;
  /** The height of a row without zoom. */
  readonly whole: number;
  private readonly before: number;
  private readonly after: number;

  /** height: of the sheet; zoom: 1 is all of it at once, where that leaves rows that can be told apart. */
  constructor(
    readonly count: number,
    range: [number, number],
    readonly folded: boolean,
    height: number,
    zoom: number,
  ) {
    [this.first, this.last] = folded ? range : [0, count - 1];
    this.before = this.first > 0 ? STRIPE : 0;
    this.after = this.last < count - 1 ? STRIPE : 0;
    const room = height - this.before - this.after;
    this.whole = Math.max(room / (this.last - this.first + 1), LEAST);
    this.row = Math.max(this.whole, Math.min(this.whole * zoom, MOST));
  }

  /** The height of all of them. */
  get deep(): number {
    return this.before + (this.last - this.first + 1) * this.row + this.after;
  }

  /** The upper edge of a frame's row; of a folded one, a line in its stripe. */
  y(frame: number): number {
    if (frame < this.first) return (this.before * frame) / this.first;
    const inside = this.before + (Math.min(frame, this.last + 1) - this.first) * this.row;
    if (frame <= this.last + 1) return inside;
    return inside + (this.after * (frame - this.last - 1)) / (this.count - this.last - 1);
  }

  /** The place among the frames of a height, with what is behind the point. */
  at(y: number): number {
    if (y < this.before) return (y / this.before) * this.first;
    const frame = this.first + (y - this.before) / this.row;
    if (frame <= this.last + 1 || !this.after) return frame;
    const beyond = y - this.before - (this.last + 1 - this.first) * this.row;
    return this.last + 1 + (beyond / this.after) * (this.count - this.last - 1);
  }

  /** The frame at a height, of those that there are. */
  frame(y: number): number {
    return Math.max(0, Math.min(this.count - 1, Math.floor(this.at(y))));
  }

  /** Whether a height lies in a folded stripe. */
  inStripe(y: number): boolean {
    return y < this.before || (this.after > 0 && y > this.deep - this.after);
  }
}
