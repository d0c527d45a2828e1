/** Two fingers at once: how far they have come apart, and where their middle has gone. */

export type Pinch = { x: number; y: number; by: number; dx: number; dy: number };

export class Fingers {
  private down = new Map<number, { x: number; y: number }>();
  private last: { x: number; y: number; apart: number } | null = null;

  /** Whether two of them are down, so that none draws. */
  get two(): boolean {
    return this.down.size > 1;
  }

  /** A finger comes down; whether it is the second. Mice and pens are none. */
  add(event: PointerEvent): boolean {
    if (event.pointerType !== "touch") return false;
    this.down.set(event.pointerId, { x: event.clientX, y: event.clientY });
    this.last = this.two ? this.now() : null;
    return this.two;
  }

  /** A finger moves; what that changes where two are down: the middle, the factor, and how far the middle went. */
  move(event: PointerEvent): Pinch | null {
    if (!this.down.has(event.pointerId)) return null;
    this.down.set(event.pointerId, { x: event.clientX, y: event.clientY });
    const before = this.last;
    if (!this.two || !before) return null;
    const now = (this.last = this.now());
    const { x, y } = now;
    return { x, y, by: now.apart / before.apart, dx: x - before.x, dy: y - before.y };
  }

  /** A finger is lifted; whether there were two. */
  lift(event: PointerEvent): boolean {
    const were = this.two;
    this.down.delete(event.pointerId);
    this.last = null;
    return were;
  }

  private now(): { x: number; y: number; apart: number } {
    const [a, b] = [...this.down.values()];
    return {
      x: (a.x + b.x) / 2,
      y: (a.y + b.y) / 2,
      apart: Math.max(8, Math.hypot(a.x - b.x, a.y - b.y)),
    };
  }
}
