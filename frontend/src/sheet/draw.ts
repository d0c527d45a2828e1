/** The sheet's rows on a canvas: frames, film, mattes, keyframes, doubt. */
import type { CheckOut, Cut, FrameOut } from "../lib/api-types";
import { STRIPE, type Rows } from "./rows";
import { checks, cuts, doubts, followed, keys, wave } from "./marks";

export type Column = {
  name: string;
  x: number;
  width: number;
  upright: boolean;
  kind: "frame" | "film" | "sound" | "followed" | "keys" | "doubt" | "chatter";
  /** Of a matte or a track, which one. */
  of?: number;
};

/** A matte or a track, which has a column where there is room. */
export type Followed = { name: string; selected: boolean; frames: Map<number, FrameOut> };

/** Which of them have a column: the first ones, and the selected one in any case. */
function shown(all: Followed[], room: number): number[] {
  const first = [...all.keys()].slice(0, room);
  const selected = all.findIndex((one) => one.selected);
  return selected < room ? first : [...first.slice(0, -1), selected];
}

/** What the column of sound takes, in pixels. */
const SOUND = 24;

export function columns(
  width: number,
  all: Followed[],
  keyed: string,
  sounds = false,
  coded = false,
  checked = "Chatter",
): Column[] {
  const found: Column[] = [];
  let x = 0;
  const add = (name: string, wide: number, kind: Column["kind"], upright = false) => {
    found.push({ name, x, width: wide, upright, kind });
    x += wide;
  };
  // beside time code there is less room for all else
  add(coded ? "Time code" : "Frame", coded ? 84 : 38, "frame");
  add("Film", coded ? 34 : 50, "film");
  if (sounds) add("Sound", SOUND, "sound", true);
  const room = width - x - 28 - 30 - 34;
  const each = Math.max(13, Math.min(30, room / Math.max(1, all.length)));
  for (const index of shown(all, Math.max(1, Math.floor(room / each)))) {
    add(all[index].name, each, "followed", true);
    found.at(-1)!.of = index;
  }
  add(keyed || "Keys", 28, "keys", true);
  add("Doubt", Math.max(30, width - x - 34), "doubt");
  add(checked, 34, "chatter", true);
  return found;
}

export type Scene = {
  width: number;
  height: number;
  /** Where the rows lie, and how far they are scrolled. */
  rows: Rows;
  scroll: number;
  count: number;
  frame: number;
  first: number;
  /** What stands beside a row in place of its number, where that is wished. */
  code: ((frame: number) => string) | null;
  loop: [number, number] | null;
  /** The frames that are worked on. */
  range: [number, number];
  /** The first and the last frame on which the chosen take is seen. */
  join: [number, number] | null;
  film: HTMLImageElement | null;
  filmStep: number;
  filmCount: number;
  columns: Column[];
  followed: Followed[];
  doubt: Map<number, FrameOut>;
  checks: Map<number, CheckOut>;
  /** How loud each part of each frame is, 0 to 255, so many a frame; none without sound. */
  peaks: Uint8Array | null;
  peaksEach: number;
  /** Where the plate goes to another camera shot. */
  cuts: Cut[];
  /** Frames on which the audit found somebody exposed. */
  exposed: Set<number>;
  keys: Map<number, boolean>;
  /** The frames of the chosen set of keys. */
  span: [number, number] | null;
  /** A set on its way: from which frames to which. */
  moved: { set: [number, number]; to: [number, number] } | null;
};

export type Ink = Record<
  "ink" | "quiet" | "rule" | "faint" | "red" | "blue" | "doubt" | "sheet" | "onInk",
  string
>;

function inks(): Ink {
  const style = getComputedStyle(document.documentElement);
  const read = (name: string) => style.getPropertyValue(`--${name}`).trim();
  return {
    ink: read("ink"),
    quiet: read("quiet"),
    rule: read("rule"),
    faint: read("faint"),
    red: read("red"),
    blue: read("blue"),
    doubt: read("doubt"),
    sheet: read("sheet"),
    onInk: read("on-ink"),
  };
}

export function draw(canvas: HTMLCanvasElement, scene: Scene): void {
  const ratio = window.devicePixelRatio || 1;
  const [w, h] = [Math.round(scene.width * ratio), Math.round(scene.height * ratio)];
  if (canvas.width !== w || canvas.height !== h) [canvas.width, canvas.height] = [w, h];
  const c = canvas.getContext("2d")!;
  c.setTransform(ratio, 0, 0, ratio, 0, 0);
  const ink = inks();
  c.fillStyle = ink.sheet;
  c.fillRect(0, 0, scene.width, scene.height);
  const { rows: laid } = scene;
  const from = Math.max(laid.first, laid.frame(scene.scroll));
  const to = Math.min(laid.last, laid.frame(scene.scroll + scene.height));
  const y = (frame: number) => laid.y(frame) - scene.scroll;

  rules(c, scene, ink, from, to, y);
  film(c, scene, from, to, y);
  for (const column of scene.columns) {
    if (column.kind === "sound") wave(c, scene, ink, column, from, to, y);
    if (column.kind === "followed")
      followed(c, scene, ink, column, scene.followed[column.of!], from, to, y);
    if (column.kind === "keys") keys(c, scene, ink, column, from, to, y);
    if (column.kind === "doubt") doubts(c, scene, ink, column, from, to, y);
    if (column.kind === "chatter") checks(c, scene, ink, column, from, to, y);
  }
  cuts(c, scene, ink, y);
  if (scene.join) joined(c, scene, scene.join, ink, y);
  range(c, scene, ink, y);
  if (laid.folded) stripes(c, scene, ink, y);
  playhead(c, scene, ink, y);
}

export type Y = (frame: number) => number;

/** How far from its line a marker of the range can be taken hold of, and how wide it is. */
export const MARKER = { reach: 8, width: 9 };

/** Where a take is seen: a blue bar at the right edge, with a line and a tab at either end to take hold of. */
function joined(
  c: CanvasRenderingContext2D,
  s: Scene,
  join: [number, number],
  ink: Ink,
  y: Y,
): void {
  const [top, bottom] = [Math.round(y(join[0])), Math.round(y(join[1] + 1))];
  c.fillStyle = ink.blue;
  c.fillRect(s.width - 2, top, 2, bottom - top);
  for (const [at, way] of [
    [top, 1],
    [bottom, -1],
  ] as const) {
    c.fillRect(0, way > 0 ? at : at - 1, s.width, 1);
    c.beginPath();
    c.moveTo(s.width, at);
    c.lineTo(s.width - MARKER.width, at);
    c.lineTo(s.width, at + 8 * way);
    c.fill();
  }
}

/** What lies outside the range is veiled; a tab marks where it begins, and one where it ends. */
function range(c: CanvasRenderingContext2D, s: Scene, ink: Ink, y: Y): void {
  const [top, bottom] = [y(s.range[0]), y(s.range[1] + 1)];
  c.fillStyle = ink.sheet;
  c.globalAlpha = s.rows.folded ? 0 : 0.66;
  if (top > 0) c.fillRect(0, Math.max(0, y(0)), s.width, top - Math.max(0, y(0)));
  if (bottom < s.height) c.fillRect(0, bottom, s.width, Math.max(0, y(s.count) - bottom));
  c.globalAlpha = 1;
  c.fillStyle = ink.ink;
  for (const [at, way] of [
    [top, 1],
    [bottom, -1],
  ] as const) {
    c.beginPath();
    c.moveTo(0, at);
    c.lineTo(MARKER.width, at);
    c.lineTo(0, at + 8 * way);
    c.fill();
  }
  if (s.range[0] > 0) c.fillRect(0, Math.round(top), s.width, 1);
  if (s.range[1] < s.count - 1) c.fillRect(0, Math.round(bottom) - 1, s.width, 1);
}

/** What is folded: a stripe of slanted lines, and how many frames are in it. */
function stripes(c: CanvasRenderingContext2D, s: Scene, ink: Ink, y: Y): void {
  for (const [top, bottom, count] of [
    [y(0), y(s.range[0]), s.range[0]],
    [y(s.range[1] + 1), y(s.count), s.count - 1 - s.range[1]],
  ]) {
    if (!count || bottom < 0 || top > s.height) continue;
    c.save();
    c.beginPath();
    c.rect(0, top, s.width, bottom - top);
    c.clip();
    c.fillStyle = ink.sheet;
    c.fillRect(0, top, s.width, bottom - top);
    c.strokeStyle = ink.rule;
    c.lineWidth = 1;
    c.beginPath();
    for (let x = -STRIPE; x < s.width; x += 6) {
      c.moveTo(x, bottom);
      c.lineTo(x + STRIPE, top);
    }
    c.stroke();
    const says = count === 1 ? "1 frame" : `${count} frames`;
    c.font = "500 11px 'IBM Plex Sans Condensed', sans-serif";
    c.textAlign = "center";
    c.textBaseline = "middle";
    const wide = c.measureText(says).width + 12;
    c.fillRect((s.width - wide) / 2, top, wide, bottom - top);
    c.fillStyle = ink.quiet;
    c.fillText(says, s.width / 2, (top + bottom) / 2 + 0.5);
    c.restore();
  }
}

/** How many rows lie between labelled ones: a round number of frames, at least 34 pixels apart. */
function stride(row: number): number {
  return [1, 2, 4, 8, 12, 24, 48, 96, 240, 480, 960].find((n) => n * row >= 34) ?? 2400;
}

function rules(
  c: CanvasRenderingContext2D,
  s: Scene,
  ink: Ink,
  from: number,
  to: number,
  y: Y,
): void {
  const step = stride(s.rows.row);
  if (s.loop) {
    c.fillStyle = ink.faint;
    const [top, bottom] = [y(s.loop[0]), y(s.loop[1] + 1)];
    c.fillRect(0, top, s.width, bottom - top);
    c.fillStyle = ink.blue;
    c.fillRect(0, top, 3, bottom - top);
  }
  const labels: number[] = [];
  for (let f = from; f <= to; f++) {
    const strong = f % step === 0;
    if (!strong && s.rows.row < 5) continue;
    c.fillStyle = strong ? ink.rule : ink.faint;
    c.fillRect(0, Math.round(y(f)), s.width, 1);
    if (strong) {
      labels.push(f);
    }
  }
  c.font = "500 11px 'IBM Plex Mono'";
  c.textBaseline = "top";
  c.textAlign = "right";
  for (const f of labels) {
    const inLoop = s.loop && f >= s.loop[0] && f <= s.loop[1];
    c.fillStyle = inLoop ? ink.faint : ink.sheet;
    const wide = s.columns[0].width;
    c.fillRect(4, y(f) + 1, wide - 6, 14);
    c.fillStyle = ink.quiet;
    c.fillText(s.code?.(f) ?? String(s.first + f), wide - 5, y(f) + 3);
  }
  c.fillStyle = ink.faint;
  for (const column of s.columns.slice(1)) c.fillRect(column.x, 0, 1, s.height);
}

function film(c: CanvasRenderingContext2D, s: Scene, from: number, to: number, y: Y): void {
  const column = s.columns[1];
  const [top, end] = [y(s.rows.first), y(s.rows.last + 1)];
  const bottom = Math.min(s.height, end);
  c.fillStyle = "#26241f";
  c.fillRect(column.x + 1, Math.max(0, top), column.width - 2, bottom - Math.max(0, top));
  if (!s.film) return;
  const [fw, fh] = [s.film.width / s.filmCount, s.film.height];
  const wide = column.width - 8;
  const tall = Math.min(wide * 1.25, ((wide * fh) / fw) * 1.6);
  const every = Math.max(1, Math.ceil((tall + 2) / s.rows.row));
  const { first } = s.rows;
  for (let f = first + Math.floor((from - first) / every) * every; f <= to; f += every) {
    const index = Math.min(s.filmCount - 1, Math.round(f / s.filmStep));
    const deep = Math.min(every * s.rows.row, end - y(f)) - 2;
    // cropped to the column: the middle of the picture
    const cropW = Math.min(fw, (fh * wide) / Math.max(6, deep));
    const cropH = Math.min(fh, (fw * deep) / wide);
    c.drawImage(
      s.film,
      index * fw + (fw - cropW) / 2,
      (fh - cropH) / 2,
      cropW,
      cropH,
      column.x + 4,
      y(f) + 1,
      wide,
      deep,
    );
  }
}

function playhead(c: CanvasRenderingContext2D, s: Scene, ink: Ink, y: Y): void {
  const top = y(s.frame);
  c.strokeStyle = ink.ink;
  c.lineWidth = 1.4;
  const deep = Math.max(2, y(s.frame + 1) - top);
  c.strokeRect(0.7, top, s.width - 1.4, deep);
  const mid = Math.max(8, Math.min(s.height - 8, top + deep / 2));
  c.fillStyle = ink.ink;
  c.beginPath();
  const wide = s.columns[0].width;
  c.roundRect(0, mid - 8, wide - 2, 16, 3);
  c.fill();
  c.fillStyle = ink.onInk;
  c.font = "500 11px 'IBM Plex Mono'";
  c.textAlign = "right";
  c.textBaseline = "middle";
  c.fillText(s.code?.(s.frame) ?? String(s.first + s.frame), wide - 6, mid + 0.5);
}
