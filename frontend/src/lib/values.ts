/** Values that may move, evaluated as the server does (see core/recipe/values.py). */
import type { Driver, Key, Keys, Riding } from "./api-types";
import { between, type Rows } from "./curves";
import { apply, inverse, type Matrix } from "./matrix";

export type Rgb = [number, number, number];
export type Xy = [number, number];
export type Plain = number | Rgb | Xy | Rows | boolean;
/** A place that rides on a track; its base is where it is without. */
export type Ride = Riding & { base: Xy | Keys };
export type Ease = Key["ease"];
export type Handles = [number, number, number, number];
/** The smooth ease as handles of a free one. */
export const SMOOTH: Handles = [1 / 3, 0, 2 / 3, 1];

export function isKeys(value: unknown): value is Keys {
  return typeof value === "object" && value !== null && !Array.isArray(value) && "keys" in value;
}

export function isDriver(value: unknown): value is Driver {
  return typeof value === "object" && value !== null && !Array.isArray(value) && "drive" in value;
}

export function isRide(value: unknown): value is Ride {
  return typeof value === "object" && value !== null && !Array.isArray(value) && "track" in value;
}

/** What keys lie in: the value itself, or what a driver moves or a track takes along. */
const inner = (value: unknown) => (isDriver(value) || isRide(value) ? value.base : value);

/** A value's keys: its own, or those under its driver, or under what it rides on. */
export function keysOf(given: unknown): Key[] {
  const value = inner(given);
  return isKeys(value) ? value.keys : [];
}

/** Where a value is read: a time in frames, the shot's rate, how tracks move what rides on them, the plate's middle. */
export type Env = {
  time: number;
  fps: number;
  moved: (riding: Riding) => Matrix | null;
  middle: Xy;
};

/** Where there is no shot about a value. */
export const alone = (time: number, fps = 1): Env => ({
  time,
  fps,
  moved: () => null,
  middle: [0, 0],
});

/** A place, from the plate's middle, as a track takes it along; or the way back. */
export function carried(riding: Riding, [x, y]: Xy, env: Env, back = false): Xy {
  const way = env.moved(riding);
  if (!way) return [x, y];
  const [mx, my] = env.middle;
  const [u, v] = apply(back ? inverse(way) : way, [x + mx, y + my]);
  return [u - mx, v - my];
}

/** The plain value in an environment; `low` and `high` hold a driver to its field's range. */
export function valueAt(value: unknown, env: Env, low = -Infinity, high = Infinity): Plain {
  if (isDriver(value)) return Math.max(low, Math.min(high, driven(value, env)));
  if (isRide(value)) return carried(value, valueAt(value.base, env) as Xy, env);
  if (!isKeys(value)) return value as Plain;
  const keys = value.keys;
  const frame = env.time;
  if (frame <= keys[0].frame) return keys[0].value as Plain;
  for (let i = 0; i + 1 < keys.length; i++) {
    const [left, right] = [keys[i], keys[i + 1]];
    if (frame < right.frame) {
      const t = eased(left.ease, (frame - left.frame) / (right.frame - left.frame), left.handles);
      return mix(left.value as Plain, right.value as Plain, t);
    }
  }
  return keys[keys.length - 1].value as Plain;
}

/** Whether a switch is on at a frame: keyed, it stays as its last key says. */
export function isOn(value: unknown, { time: frame }: Env): boolean {
  if (!isKeys(value)) return value === true;
  const last = value.keys.filter((k) => k.frame <= frame).at(-1) ?? value.keys[0];
  return last.value === 1;
}

export function eased(ease: Ease, t: number, handles: Handles | null = null): number {
  if (ease === "hold") return 0;
  if (ease === "linear") return t;
  if (ease === "smooth" || !handles) return t * t * (3 - 2 * t);
  if (t === 0 || t === 1) return t;
  const [x1, y1, x2, y2] = handles;
  let [low, high] = [0, 1];
  for (let i = 0; i < 40; i++) {
    const s = (low + high) / 2;
    if (bezier(s, x1, x2) < t) low = s;
    else high = s;
  }
  return bezier((low + high) / 2, y1, y2);
}

function bezier(s: number, a: number, b: number): number {
  const r = 1 - s;
  return 3 * r * r * s * a + 3 * r * s * s * b + s * s * s;
}

function driven(value: Driver, env: Env): number {
  const base = valueAt(value.base, env) as number;
  const seconds = env.time / env.fps;
  if (value.drive === "rate") return base + value.amount * seconds;
  if (value.drive === "wander")
    return base + value.amount * wander(value.seed, seconds * value.pace);
  const step = Math.floor(seconds * value.pace + 1e-9);
  return value.pattern[step % value.pattern.length] === "1" ? base : value.amount;
}

function wander(seed: number, time: number): number {
  const step = Math.floor(time);
  const t = time - step;
  const [a, b] = [hashed(seed, step), hashed(seed, step + 1)];
  return a + (b - a) * t * t * (3 - 2 * t);
}

/** The same even spread over -1 to 1 as the server's. */
function hashed(seed: number, n: number): number {
  let x = (Math.imul(n, 374761393) + Math.imul(seed, 668265263) + 362437) >>> 0;
  x = Math.imul(x ^ (x >>> 13), 1274126177) >>> 0;
  x = (x ^ (x >>> 16)) >>> 0;
  x = Math.imul(x, 2246822519) >>> 0;
  x = (x ^ (x >>> 15)) >>> 0;
  return x / 2147483647.5 - 1;
}

/** Whether a value is a curve's points or a ramp's stops. */
export function isRows(value: unknown): value is Rows {
  return Array.isArray(value) && Array.isArray(value[0]);
}

function mix(a: Plain, b: Plain, t: number): Plain {
  if (isRows(a) && isRows(b)) return between(a, b, t);
  if (Array.isArray(a) && Array.isArray(b) && a.length === b.length)
    return (a as number[]).map((v, i) => v + ((b as number[])[i] - v) * t) as Rgb;
  if (typeof a === "number" && typeof b === "number") return a + (b - a) * t;
  return a;
}

/** A name that the edits of one gesture share, so that they are one step of the history. */
export function newGesture(): string {
  return `g${Math.random().toString(36).slice(2, 12)}`;
}

export type Ring = "none" | "here" | "elsewhere";

export function ringOf(value: unknown, frame: number): Ring {
  const keys = keysOf(value);
  if (!keys.length) return "none";
  return keys.some((k) => k.frame === frame) ? "here" : "elsewhere";
}

/** The value with `plain` set at this frame: the plain value itself, or a key among its keys. */
export function withValue(value: unknown, frame: number, plain: Plain): unknown {
  if (isDriver(value) || isRide(value))
    return { ...value, base: withValue(value.base, frame, plain) };
  if (!isKeys(value)) return plain;
  const here = value.keys.find((k) => k.frame === frame);
  const before = value.keys.filter((k) => k.frame < frame).at(-1);
  const key: Key = {
    frame,
    value: plain as Key["value"],
    ease: here?.ease ?? before?.ease ?? "smooth",
    handles: here?.handles ?? before?.handles ?? null,
  };
  return { keys: sorted([...value.keys.filter((k) => k.frame !== frame), key]) };
}

/** Sets a key at this frame where there is none, takes it away where there is one. */
export function toggledKey(value: unknown, frame: number): unknown {
  if (isDriver(value) || isRide(value)) return { ...value, base: toggledKey(value.base, frame) };
  if (!isKeys(value))
    return { keys: [{ frame, value: value as Key["value"], ease: "smooth", handles: null }] };
  if (ringOf(value, frame) !== "here") return withValue(value, frame, keyed(value, frame));
  const rest = value.keys.filter((k) => k.frame !== frame);
  return rest.length ? { keys: rest } : keyed(value, frame);
}

/** What keys alone say at a frame: neither the rate nor a track has a part in it. */
function keyed(value: Keys, frame: number): Plain {
  return valueAt(value, alone(frame));
}

/** A switch as it is set on a frame: keyed as 1 and 0, and held; without a key left it is on or off again. */
export function toggledSwitch(
  value: unknown,
  frame: number,
  on: boolean,
  togglesKey: boolean,
): unknown {
  if (!togglesKey && !keysOf(value).length) return on;
  const rest = keysOf(value).filter((k) => k.frame !== frame);
  if (togglesKey && ringOf(value, frame) === "here") return rest.length ? { keys: rest } : on;
  const key = { frame, value: on ? 1 : 0, ease: "hold" as const, handles: null };
  return { keys: sorted([...rest, key]) };
}

/** The value with the key on a frame changed. */
export function withKey(value: unknown, frame: number, change: Partial<Key>): unknown {
  if (isDriver(value) || isRide(value))
    return { ...value, base: withKey(value.base, frame, change) };
  if (!isKeys(value)) return value;
  const keys = value.keys.map((k) => (k.frame === frame ? { ...k, ...change } : k));
  // a key that is moved onto another one's frame takes its place
  const to = change.frame ?? frame;
  const moved = keys.find((k, i) => k.frame === to && value.keys[i].frame === frame);
  return { keys: sorted(keys.filter((k) => k.frame !== to || k === moved)) };
}

export function withEase(value: unknown, frame: number, ease: Ease): unknown {
  return withKey(value, frame, { ease, handles: ease === "free" ? SMOOTH : null });
}

/** The value with all of its keys eased alike. */
export function withAllEased(value: unknown, ease: Ease): unknown {
  return keysOf(value).reduce((now, key) => withEase(now, key.frame, ease), value);
}

function sorted(keys: Key[]): Key[] {
  return keys.sort((a, b) => a.frame - b.frame);
}

export function toHex(rgb: Rgb): string {
  return (
    "#" +
    rgb
      .map((v) =>
        Math.round(v * 255)
          .toString(16)
          .padStart(2, "0"),
      )
      .join("")
  );
}

export function fromHex(hex: string): Rgb {
  return [1, 3, 5].map((i) => parseInt(hex.slice(i, i + 2), 16) / 255) as Rgb;
}
