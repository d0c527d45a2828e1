/** What the sheet's columns show on each frame: mattes, keyframes, doubt and chatter. */
import { DOUBTFUL } from "../desk/desk.svelte";
import type { Column, Ink, Scene, Y } from "./draw";

export function followed(
  c: CanvasRenderingContext2D,
  s: Scene,
  ink: Ink,
  column: Column,
  shown: Scene["followed"][number] | undefined,
  from: number,
  to: number,
  y: Y,
): void {
  if (!shown) return;
  const middle = column.x + column.width / 2;
  if (shown.selected) {
    c.fillStyle = ink.faint;
    c.globalAlpha = 0.5;
    c.fillRect(column.x + 1, 0, column.width - 1, Math.min(s.height, y(s.count)));
    c.globalAlpha = 1;
  }
  c.fillStyle = ink.blue;
  for (let f = from; f <= to; f++) {
    const origin = shown.frames.get(f)?.origin;
    if (origin) c.fillRect(middle - 1, y(f), 2, s.rows.row + 0.5);
    else if (s.rows.row >= 5) {
      c.fillStyle = ink.rule;
      c.fillRect(middle - 2, y(f) + s.rows.row / 2 - 0.5, 4, 1);
      c.fillStyle = ink.blue;
    }
  }
  // the artist's hand: a short slanted stroke of red pencil
  c.strokeStyle = ink.red;
  c.lineWidth = Math.min(5, Math.max(3, s.rows.row * 0.5));
  c.lineCap = "butt";
  for (let f = from; f <= to; f++) {
    if (shown.frames.get(f)?.origin !== "touched") continue;
    const mid = y(f) + s.rows.row / 2;
    const reach = Math.min(8, column.width / 2 - 2);
    c.beginPath();
    c.moveTo(middle - reach, mid + 2);
    c.lineTo(middle + reach, mid - 2);
    c.stroke();
  }
}

/** The wave of the sound: how far it swings on either side of the column's middle. */
export function wave(
  c: CanvasRenderingContext2D,
  s: Scene,
  ink: Ink,
  column: Column,
  from: number,
  to: number,
  y: Y,
): void {
  const middle = column.x + column.width / 2;
  c.fillStyle = ink.rule;
  c.fillRect(middle - 0.5, y(from), 1, (to - from + 1) * s.rows.row);
  if (!s.peaks) return;
  c.fillStyle = ink.ink;
  const each = s.peaksEach;
  const most = column.width / 2 - 2;
  // a line of the screen shows the loudest of what falls on it
  for (let line = Math.max(0, Math.floor(y(from))); line < Math.min(s.height, y(to + 1)); line++) {
    const first = Math.floor(s.rows.at(line + s.scroll) * each);
    const last = Math.max(first + 1, Math.floor(s.rows.at(line + 1 + s.scroll) * each));
    let loud = 0;
    for (let n = first; n < last && n < s.peaks.length; n++) loud = Math.max(loud, s.peaks[n]);
    // by the ear's measure: half as loud is 10 dB less
    const reach = most * Math.sqrt(loud / 255);
    if (reach > 0.4) c.fillRect(middle - reach, line, 2 * reach, 1);
  }
}

/** Where the plate goes to another camera shot: a torn line through all columns; a mix is a hatched band. */
export function cuts(c: CanvasRenderingContext2D, s: Scene, ink: Ink, y: Y): void {
  c.strokeStyle = c.fillStyle = ink.red;
  for (const cut of s.cuts) {
    const top = y(cut.frame);
    const bottom = cut.to == null ? top : y(cut.to + 1);
    if (bottom < -8 || top > s.height + 8) continue;
    c.lineWidth = 1.4;
    for (const at of cut.to == null ? [top] : [top, bottom]) {
      c.beginPath();
      for (let x = 38; x <= s.width; x += 4) c.lineTo(x, at + ((x / 4) % 2 < 1 ? -1.6 : 1.6));
      c.stroke();
    }
    const film = s.columns[1];
    if (cut.to != null) {
      c.lineWidth = 1;
      c.save();
      c.beginPath();
      c.rect(film.x, top, film.width, bottom - top);
      c.clip();
      c.beginPath();
      for (let at = top - film.width; at < bottom; at += 6) {
        c.moveTo(film.x, at);
        c.lineTo(film.x + film.width, at + film.width);
      }
      c.stroke();
      c.restore();
    }
    // what the hand takes
    c.fillRect(film.x, top - 3.5, 7, 7);
  }
}

export function keys(
  c: CanvasRenderingContext2D,
  s: Scene,
  ink: Ink,
  column: Column,
  from: number,
  to: number,
  y: Y,
): void {
  const frames = [...s.keys.keys()].sort((a, b) => a - b);
  if (!frames.length) return;
  if (s.span) {
    c.strokeStyle = ink.ink;
    c.setLineDash([3, 2]);
    const deep = y(s.span[1] + 1) - y(s.span[0]);
    c.strokeRect(column.x + 2.5, y(s.span[0]) - 4, column.width - 4, deep + 8);
    c.setLineDash([]);
  }
  const x = column.x + column.width / 2;
  c.fillStyle = c.strokeStyle = ink.ink;
  c.lineWidth = 1.2;
  for (let i = 0; i + 1 < frames.length; i++) {
    const [a, b] = [frames[i], frames[i + 1]];
    if (s.keys.get(a)) {
      c.fillRect(x - 0.6, y(a) + s.rows.row / 2, 1.2, y(b) - y(a));
    } else {
      const gap = Math.max(1, Math.ceil(6 / s.rows.row));
      for (let f = Math.max(a + 1, from); f < Math.min(b, to); f++)
        if ((f - a) % gap === 0) c.fillRect(x - 1, y(f) + s.rows.row / 2 - 1, 2, 2);
    }
  }
  const r = 4.4;
  for (const f of frames) {
    const mid = y(f) + s.rows.row / 2;
    c.beginPath();
    c.arc(x, mid, r, 0, 7);
    c.fillStyle = ink.sheet;
    c.fill();
    c.stroke();
    c.beginPath();
    c.arc(x, mid, 1.3, 0, 7);
    c.fillStyle = ink.ink;
    c.fill();
  }
  if (!s.moved) return;
  const { set, to: there } = s.moved;
  const factor = set[1] > set[0] ? (there[1] - there[0]) / (set[1] - set[0]) : 1;
  c.strokeStyle = ink.blue;
  c.lineWidth = 1.8;
  for (const f of frames.filter((one) => one >= set[0] && one <= set[1])) {
    c.beginPath();
    c.arc(x, y(there[0] + Math.round((f - set[0]) * factor)) + s.rows.row / 2, r + 1, 0, 7);
    c.stroke();
  }
}

export function doubts(
  c: CanvasRenderingContext2D,
  s: Scene,
  ink: Ink,
  column: Column,
  from: number,
  to: number,
  y: Y,
): void {
  const room = column.width - 8;
  for (let f = from; f <= to; f++) {
    const doubt = s.doubt.get(f)?.doubt ?? 0;
    if (doubt <= 0.02) continue;
    const [x, top, wide] = [column.x + 4, y(f) + s.rows.row * 0.18, Math.max(1, room * doubt)];
    const tall = Math.max(1, s.rows.row * 0.64);
    if (doubt <= DOUBTFUL) {
      c.fillStyle = ink.doubt;
      c.fillRect(x, top, wide, tall);
      continue;
    }
    c.save();
    c.beginPath();
    c.rect(x, top, wide, tall);
    c.clip();
    c.strokeStyle = ink.red;
    c.lineWidth = 2;
    for (let d = -tall; d < wide + tall; d += 4) {
      c.beginPath();
      c.moveTo(x + d, top + tall);
      c.lineTo(x + d + tall, top);
      c.stroke();
    }
    c.restore();
    c.strokeStyle = ink.red;
    c.lineWidth = 1;
    c.strokeRect(x + 0.5, top + 0.5, wide - 1, Math.max(0.5, tall - 1));
  }
}

/** Chatter as a thin ink line down the column, and a sign at its right edge where a frame stands out. */
export function checks(
  c: CanvasRenderingContext2D,
  s: Scene,
  ink: Ink,
  column: Column,
  from: number,
  to: number,
  y: Y,
): void {
  // somebody exposed: a small filled disc of red, where the other signs are
  c.fillStyle = ink.red;
  for (const f of s.exposed) {
    if (f < from || f > to) continue;
    c.beginPath();
    c.arc(column.x + 6, y(f) + s.rows.row / 2, Math.min(3.4, Math.max(1.5, s.rows.row / 2)), 0, 7);
    c.fill();
  }
  if (!s.checks.size) return;
  const room = column.width - 15;
  c.strokeStyle = ink.quiet;
  c.lineWidth = 1;
  c.beginPath();
  for (let f = from; f <= to; f++) {
    const x =
      column.x +
      4 +
      Math.min(1, (s.checks.get(f)?.chatter || s.checks.get(f)?.seam || 0) / 4) * room;
    const mid = y(f) + s.rows.row / 2;
    if (f === from) c.moveTo(x, mid);
    else c.lineTo(x, mid);
  }
  c.stroke();
  c.strokeStyle = c.fillStyle = ink.red;
  c.lineWidth = 1.3;
  for (let f = from; f <= to; f++) {
    const [x, mid] = [column.x + column.width - 6, y(f) + s.rows.row / 2];
    const problem = s.checks.get(f)?.problems[0];
    if (!problem) continue;
    c.beginPath();
    if (problem === "hole") c.arc(x, mid, 2.6, 0, 7);
    else if (problem === "jump") {
      c.moveTo(x - 3, mid + 2.5);
      c.lineTo(x, mid - 3);
      c.lineTo(x + 3, mid + 2.5);
      c.closePath();
    } else {
      c.moveTo(x - 3.5, mid + 1.5);
      c.lineTo(x - 1.2, mid - 2);
      c.lineTo(x + 1.2, mid + 2);
      c.lineTo(x + 3.5, mid - 1.5);
    }
    c.stroke();
  }
}
