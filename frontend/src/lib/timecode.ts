/** Time code: the same count as the server's (core/media/timecode.py). */

/** The time code that stands so many frames after another one, at a rate; null for what is none. */
export function shifted(text: string, frames: number, fps: number): string | null {
  const found = /^(\d{2}):(\d{2}):(\d{2})([:;])(\d{2,3})$/.exec(text);
  if (!found) return null;
  const [hours, minutes, seconds, first] = [1, 2, 3, 5].map((n) => Number(found[n]));
  const drop = found[4] === ";";
  const base = Math.max(1, Math.round(fps));
  const dropped = drop && [30, 60, 120].includes(base) ? (2 * base) / 30 : 0;
  const minute = hours * 60 + minutes;
  const start =
    (minute * 60 + seconds) * base + first - dropped * (minute - Math.floor(minute / 10));
  const day = 24 * 3600 * base - dropped * (24 * 60 - 24 * 6);
  return written((((start + frames) % day) + day) % day, base, dropped, drop);
}

function written(count: number, base: number, dropped: number, drop: boolean): string {
  if (dropped) {
    const ten = 600 * base - 9 * dropped;
    const rest = count % ten;
    count += 9 * dropped * Math.floor(count / ten);
    if (rest >= 60 * base)
      count += dropped * (Math.floor((rest - 60 * base) / (60 * base - dropped)) + 1);
  }
  const two = (n: number) => String(n).padStart(2, "0");
  const seconds = Math.floor(count / base);
  const minutes = Math.floor(seconds / 60);
  return `${two(Math.floor(minutes / 60))}:${two(minutes % 60)}:${two(seconds % 60)}${drop ? ";" : ":"}${two(count % base)}`;
}
