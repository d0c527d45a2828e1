/** Moves and joins of pieces in words. */
import type { InnerOut, Piece, Reel } from "../lib/api-types";
import { fpsOf } from "../lib/reel";

type Move = { kind?: string };
type Join = { kind?: string; length?: number };

export function moveSays(piece: Piece): string {
  const kind = (piece.move as Move)?.kind ?? "none";
  return kind === "none" ? "" : kind;
}

export function joinSays(piece: Piece, shared: number): string {
  const kind = (piece.join as Join)?.kind ?? "cut";
  return kind === "cut" || !shared ? "" : `${kind} ${shared}`;
}

/** How a shot of another size or rate comes into the reel; "" where it is as the reel. */
export function fitsSays(reel: Reel, piece: Piece, size: [number, number]): string {
  const entry = reel.footage.find((one) => one.id === piece.shot);
  if (!entry) return "";
  const { fit = "fill", between = "nearest" } = (piece.fitting ?? {}) as Record<string, string>;
  const says = [];
  if (entry.width && (entry.width !== size[0] || entry.height !== size[1])) {
    const how = { fill: "fills", fit: "fits into", "as it is": "lies as it is in" }[fit];
    says.push(`${entry.width} × ${entry.height} ${how} ${size[0]} × ${size[1]}`);
  }
  const fps = fpsOf(reel);
  if (Math.abs(entry.fps - fps) > 0.001) {
    const how = { nearest: "the nearest frame", mix: "frames mixed", motion: "in-betweens made" };
    says.push(
      `${round(entry.fps)} fps in a reel of ${round(fps)}: ${how[between as keyof typeof how]}`,
    );
  }
  return says.join(" · ");
}

const round = (fps: number) => Math.round(fps * 1000) / 1000;

/** What has changed of a shot since it was laid in: its rate, its size or its length. */
export function changedSays(reel: Reel, piece: Piece, now: InnerOut | undefined): string {
  const entry = reel.footage.find((one) => one.id === piece.shot);
  if (!entry || !now || !entry.width) return "";
  const says = [];
  if (entry.fps !== now.entry.fps) says.push(`runs at ${round(now.entry.fps)} fps`);
  if (entry.frames !== now.entry.frames) says.push(`has ${now.entry.frames} frames`);
  if (entry.width !== now.entry.width || entry.height !== now.entry.height)
    says.push(`is ${now.entry.width} × ${now.entry.height}`);
  return says.length ? `It ${says.join(", ")} by now.` : "";
}
