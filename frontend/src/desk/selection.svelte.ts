/** What is selected on the stand, and the part of it that the hand is on. */
import type { Plane, Pull, Track } from "../lib/api-types";
import type { ShotStore } from "../lib/shot.svelte";

export type Selected = { kind: "matte" | "plane" | "track" | "piece"; id: string };

export class Selection {
  thing = $state.raw<Selected | null>(null);
  /** The pull of the matte that the tools are for, where one was chosen. */
  pullId = $state<string | null>(null);
  shapeId = $state<string | null>(null);
  /** The point of the chosen shape that was touched last. */
  pointAt = $state<number | null>(null);

  constructor(private shot: ShotStore) {
    const { mattes, planes } = shot.doc;
    const piece = shot.reel?.pieces[0];
    if (piece) this.thing = { kind: "piece", id: piece.id };
    else if (mattes.length) this.thing = { kind: "matte", id: mattes[0].id };
    else if (planes.length) this.thing = { kind: "plane", id: planes[0].id };
  }

  is(kind: Selected["kind"], id: string): boolean {
    return this.thing?.kind === kind && this.thing.id === id;
  }

  get plane(): Plane | undefined {
    return this.thing?.kind === "plane" ? this.shot.plane(this.thing.id) : undefined;
  }

  /** The chosen plane where it is a take. */
  get take(): Plane | undefined {
    return this.plane?.kind === "take" ? this.plane : undefined;
  }

  /** The number of the chosen piece of a reel, or -1. */
  get piece(): number {
    const { thing } = this;
    if (thing?.kind !== "piece") return -1;
    return this.shot.reel?.pieces.findIndex((one) => one.id === thing.id) ?? -1;
  }

  get track(): Track | undefined {
    return this.thing?.kind === "track" ? this.shot.track(this.thing.id) : undefined;
  }

  /** Whose stored frames are looked at: the selected track's, or else the trace's. */
  get followed(): string | undefined {
    return this.track?.id ?? this.trace?.id;
  }

  /** The ids of the mattes, planes and tracks that the selected one rests on, or that rest on it. */
  get uses(): Set<string> {
    const here = this.thing && `${this.thing.kind}:${this.thing.id}`;
    const ids = this.shot.uses.flatMap(({ owner, thing }) =>
      owner === here ? [thing] : thing === here ? [owner] : [],
    );
    return new Set(ids.map((one) => one.slice(one.indexOf(":") + 1)));
  }

  /** Where what is selected lies in the document: whose keys the sheet and the curves show. */
  get place(): string | null {
    const s = this.thing;
    if (!s) return null;
    if (s.kind === "track" || s.kind === "piece") return null;
    if (s.kind === "plane") return this.shot.plane(s.id) ? this.shot.planePath(s.id) : null;
    return this.shot.matte(s.id) ? this.shot.mattePath(s.id) : null;
  }

  /** The matte that the views show: the selected one, or the one that the selected plane uses. */
  get matteId(): string | null {
    if (this.thing?.kind === "matte" && this.shot.matte(this.thing.id)) return this.thing.id;
    const plane = this.plane;
    return plane?.matte ?? plane?.gate?.matte ?? this.shot.doc.mattes[0]?.id ?? null;
  }

  get trace(): Pull | undefined {
    return this.shot.trace(this.shot.matte(this.matteId));
  }

  /** The pull that the tools are for: the chosen one, or else the trace, or else the first. */
  get pull(): Pull | undefined {
    if (this.thing?.kind !== "matte") return undefined;
    const pulls = this.shot.matte(this.thing.id)?.pulls ?? [];
    return pulls.find((p) => p.id === this.pullId) ?? this.trace ?? pulls[0];
  }

  /** Where a pull of the selected matte lies in the document. */
  pullPath(id: string): string {
    const matte = this.shot.matte(this.matteId)!;
    return `${this.shot.mattePath(matte.id)}/pulls/${matte.pulls.findIndex((p) => p.id === id)}`;
  }
}
