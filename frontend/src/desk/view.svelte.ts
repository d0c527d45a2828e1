/** How the picture is looked at; none of it changes the work. */
import type { AnyView, VersionOut } from "../lib/api-types";
import type { ShotStore } from "../lib/shot.svelte";
import type { Selection } from "./selection.svelte";

export type Mode = "result" | "veil" | "matte" | "cutout" | "unroll" | "onion" | "change";
/** A name of a ground, or a colour as #rrggbb. */
export type Ground = string;

export const RESULT: AnyView = { kind: "result" };

/** The views in the order of their number keys. */
export const MODES: [Mode, string][] = [
  ["result", "Result"],
  ["veil", "Veil"],
  ["matte", "Matte"],
  ["cutout", "Cut-out"],
  ["unroll", "Unroll"],
  ["onion", "Onion skin"],
  ["change", "Change"],
];

export class View {
  mode = $state<Mode>("result");
  ground = $state<Ground>("checks");
  full = $state(false);
  /** How far into the recipe the views look: after so many pulls; null for all of it. */
  upTo = $state<number | null>(null);
  /** While P is held: the untreated plate. */
  plain = $state(false);
  /** While B is held: the matte before its edge step. */
  bare = $state(false);
  /** What the right part of the picture shows, where it is split, and where the line lies, 0 to 1. */
  split = $state.raw<{ mode: Mode; matte: string | null; version?: VersionOut | null } | null>(
    null,
  );
  splitAt = $state(0.5);
  /** What the shelf shows in the large picture while the pointer is on it: a view, in place of the chosen one. */
  trying = $state.raw<AnyView | null>(null);

  /** The take whose difference from what lies behind it is looked at. */
  private apart = $state<string | null>(null);

  /** Whether the difference of the chosen take is looked at. */
  get takesApart(): boolean {
    return !!this.apart && this.selection.take?.id === this.apart;
  }

  turnTakesApart(): void {
    this.apart = this.takesApart ? null : (this.selection.take?.id ?? null);
  }

  constructor(
    private shot: ShotStore,
    private selection: Selection,
  ) {
    // a shot on which nothing was marked yet is there to be marked
    if (selection.trace && !selection.trace.marks.length) this.mode = "veil";
  }

  private of(mode: Mode, matte: string | null): AnyView {
    if (mode === "result") return RESULT;
    if (!matte || !this.shot.onServer(matte)) return { kind: "plate" };
    const pulls = !this.bare && matte === this.selection.matteId ? this.upTo : null;
    const how = { matte, pulls, edged: !this.bare };
    return mode === "cutout" ? { kind: mode, ground: this.ground, ...how } : { kind: mode, ...how };
  }

  /** What the picture shows. */
  get wanted(): AnyView {
    if (this.trying) return this.trying;
    if (this.takesApart && this.shot.onServer(this.apart!) && !this.plain)
      return { kind: "takes", plane: this.apart! };
    return this.plain ? { kind: "plate" } : this.of(this.mode, this.selection.matteId);
  }

  /** What it shows on the right of the line, where it is split. */
  get beside(): AnyView | null {
    if (this.split?.version) return RESULT;
    return this.split && this.of(this.split.mode, this.split.matte ?? this.selection.matteId);
  }

  /** Splits the picture: this view on the left, another one on the right; or takes the split away. */
  toggleSplit(): void {
    this.split = this.split
      ? null
      : { mode: this.mode === "result" ? "veil" : "result", matte: null };
  }
}
