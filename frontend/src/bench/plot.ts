/** How curves of values lie on paper, and what dragging their keys and handles makes of a value. */
import type { Key } from "../lib/api-types";
import { keysOf, SMOOTH, valueAt, withKey, type Env, type Handles } from "../lib/values";

export type Field = { low: number; high: number; step?: number } | null;
/** A value that moves, with the least and the largest that its curve has room for. */
export type Moving = { path: string; value: unknown; field: Field; low: number; high: number };
export type Grip = "key" | "out" | "in";
const PAD = { left: 12, right: 12, top: 14, bottom: 20 };
const thousandth = (n: number) => Math.round(n * 1e3) / 1e3;

/** Paper of a size in pixels that shows a span of frames. */
export class Paper {
  constructor(
    readonly width: number,
    readonly height: number,
    readonly span: [number, number],
  ) {}

  private get across(): number {
    return (this.width - PAD.left - PAD.right) / (this.span[1] - this.span[0]);
  }

  private get deep(): number {
    return this.height - PAD.top - PAD.bottom;
  }

  /** Where the frames' numbers begin. */
  get foot(): number {
    return this.height - PAD.bottom;
  }

  x(frame: number): number {
    return PAD.left + (frame - this.span[0]) * this.across;
  }

  frame(x: number): number {
    return this.span[0] + (x - PAD.left) / this.across;
  }

  y(m: { low: number; high: number }, value: number): number {
    return PAD.top + ((m.high - value) / (m.high - m.low)) * this.deep;
  }

  value(m: { low: number; high: number }, y: number): number {
    return m.high - ((y - PAD.top) / this.deep) * (m.high - m.low);
  }

  /** The frames that get a number: round ones, at least 46 pixels apart. */
  labels(): number[] {
    const step = [1, 2, 4, 8, 12, 24, 48, 96, 240, 480].find((n) => n * this.across >= 46) ?? 960;
    const [first, last] = this.span;
    const out = [];
    for (let f = Math.ceil(first / step) * step; f <= last; f += step) out.push(f);
    return out;
  }

  /** The curve as an SVG path. */
  curve(m: Moving, at: (frame: number) => Env): string {
    const steps = Math.max(2, Math.min(600, Math.round(this.width / 2)));
    const [first, last] = this.span;
    const points = [];
    for (let i = 0; i <= steps; i++) {
      const f = first + ((last - first) * i) / steps;
      points.push(`${this.x(f).toFixed(1)} ${this.y(m, valueOn(m, at(f))).toFixed(1)}`);
    }
    return `M${points.join("L")}`;
  }

  /** The two handles of each free ease: where they are, and the point that they belong to. */
  handles(m: Moving) {
    const keys = keysOf(m.value);
    return keys.flatMap((key, i) => {
      const next = keys[i + 1];
      if (key.ease !== "free" || !next) return [];
      const [x1, y1, x2, y2] = key.handles ?? SMOOTH;
      const [a, b] = [number(key), number(next)];
      const place = (hx: number, hy: number) => ({
        px: this.x(key.frame + (next.frame - key.frame) * hx),
        py: this.y(m, a + (b - a) * hy),
      });
      return [
        { key, what: "out" as const, ...place(x1, y1), at: [this.x(key.frame), this.y(m, a)] },
        { key, what: "in" as const, ...place(x2, y2), at: [this.x(next.frame), this.y(m, b)] },
      ];
    });
  }

  /** The span zoomed about a pixel; null for all of `most` frames. */
  zoomed(x: number, factor: number, most: number): [number, number] | null {
    const at = this.frame(x);
    const [first, last] = this.span;
    const [a, b] = [at - (at - first) * factor, at + (last - at) * factor];
    if (b - a >= most) return null;
    return b - a > 4 ? [Math.max(0, a), Math.min(most, b)] : this.span;
  }
}

export const number = (key: Key) => key.value as number;

export function valueOn(m: { value: unknown; field: Field }, env: Env): number {
  return valueAt(m.value, env, m.field?.low, m.field?.high) as number;
}

/** The least and the largest of a value over so many frames, with a little room. */
export function bounds(
  m: { value: unknown; field: Field },
  count: number,
  at: (frame: number) => Env,
): { low: number; high: number } {
  const all = keysOf(m.value).map(number);
  for (let f = 0; f < count; f++) all.push(valueOn(m, at(f)));
  const [low, high] = [Math.min(...all), Math.max(...all)];
  const room = high > low ? (high - low) * 0.08 : Math.max(0.5, Math.abs(high) * 0.1);
  return { low: low - room, high: high + room };
}

/** The value with its key on `frame` at another place. */
export function keyDragged(value: unknown, frame: number, to: number, put: number): unknown {
  return withKey(value, frame, { frame: to, value: thousandth(put) });
}

/** The value with a handle of its key on `frame` dragged to a place: a frame, and a value. */
export function handleDragged(
  value: unknown,
  frame: number,
  what: "out" | "in",
  to: { frame: number; value: number },
): unknown {
  const keys = keysOf(value);
  const at = keys.findIndex((k) => k.frame === frame);
  const [key, next] = [keys[at], keys[at + 1]];
  const old = key.handles ?? SMOOTH;
  const hx = Math.max(0, Math.min(1, (to.frame - key.frame) / (next.frame - key.frame)));
  const rise = number(next) - number(key);
  const hy = rise ? Math.max(-3, Math.min(4, (to.value - number(key)) / rise)) : 0;
  const [x, y] = [thousandth(hx), thousandth(hy)];
  const handles: Handles = what === "out" ? [x, y, old[2], old[3]] : [old[0], old[1], x, y];
  return withKey(value, frame, { handles });
}
