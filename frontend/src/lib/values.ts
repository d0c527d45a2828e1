/** Values that may move, evaluated as the server does (see core/recipe/values.py). */
import type { Key, Keys } from "./api-types";

export type Rgb = [number, number, number];
export type Plain = number | Rgb | boolean;
export type Ease = Key["ease"];

export function isKeys(value: unknown): value is Keys {
  return typeof value === "object" && value !== null && !Array.isArray(value) && "keys" in value;
}

export function valueAt(value: unknown, frame: number): Plain {
  if (!isKeys(value)) return value as Plain;
  const keys = value.keys;
  if (frame <= keys[0].frame) return keys[0].value as Plain;
  for (let i = 0; i + 1 < keys.length; i++) {
    const left = keys[i];
    const right = keys[i + 1];
    if (frame < right.frame) {
      if (left.ease === "hold") return left.value as Plain;
      let t = (frame - left.frame) / (right.frame - left.frame);
      if (left.ease === "smooth") t = t * t * (3 - 2 * t);
      return mix(left.value as Plain, right.value as Plain, t);
    }
  }
  return keys[keys.length - 1].value as Plain;
}

function mix(a: Plain, b: Plain, t: number): Plain {
  if (Array.isArray(a) && Array.isArray(b))
    return [0, 1, 2].map((i) => a[i] + (b[i] - a[i]) * t) as Rgb;
  if (typeof a === "number" && typeof b === "number") return a + (b - a) * t;
  return a;
}

/** A name that the edits of one gesture share, so that they are one step of the history. */
export function newGesture(): string {
  return `g${Math.random().toString(36).slice(2, 12)}`;
}

export type Ring = "none" | "here" | "elsewhere";

export function ringOf(value: unknown, frame: number): Ring {
  if (!isKeys(value)) return "none";
  return value.keys.some((k) => k.frame === frame) ? "here" : "elsewhere";
}

/** The value with `plain` set at this frame: the plain value itself, or a key among its keys. */
export function withValue(value: unknown, frame: number, plain: Plain): unknown {
  if (!isKeys(value)) return plain;
  const here = value.keys.find((k) => k.frame === frame);
  const key: Key = {
    frame,
    value: plain as Key["value"],
    ease: here?.ease ?? easeAt(value, frame),
  };
  return { keys: sorted([...value.keys.filter((k) => k.frame !== frame), key]) };
}

/** The ease that a key put between two others takes over. */
function easeAt(value: Keys, frame: number): Ease {
  return value.keys.filter((k) => k.frame < frame).at(-1)?.ease ?? "smooth";
}

/** Sets a key at this frame where there is none, takes it away where there is one. */
export function toggledKey(value: unknown, frame: number): unknown {
  if (!isKeys(value)) return { keys: [{ frame, value: value as Key["value"], ease: "smooth" }] };
  if (ringOf(value, frame) !== "here") return withValue(value, frame, valueAt(value, frame));
  const rest = value.keys.filter((k) => k.frame !== frame);
  return rest.length ? { keys: rest } : valueAt(value, frame);
}

export function withEase(value: Keys, frame: number, ease: Ease): Keys {
  return { keys: value.keys.map((k) => (k.frame === frame ? { ...k, ease } : k)) };
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
