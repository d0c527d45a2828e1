/** A shot's document, and what is found in it. */
import type {
  CatalogueOut,
  DeclaredOut,
  FieldOut,
  FrameOut,
  Matte,
  Plane,
  Pull,
  Reel,
  Shot,
  Track,
} from "./api-types";

export class Recipe {
  doc: Shot | Reel;
  /** Stored frames of what has marks, by pull and frame. */
  frames = $state.raw<Map<string, Map<number, FrameOut>>>(new Map());

  constructor(
    document: Shot | Reel,
    /** What can be added to a recipe; it is the same for all shots. */
    readonly catalogue: CatalogueOut,
  ) {
    this.doc = $state.raw(document);
  }

  matte(id: string | null | undefined): Matte | undefined {
    return this.doc.mattes.find((m) => m.id === id);
  }

  plane(id: string | null | undefined): Plane | undefined {
    return this.doc.planes.find((p) => p.id === id);
  }

  track(id: string | null | undefined): Track | undefined {
    return this.doc.tracks.find((t) => t.id === id);
  }

  /** What is declared of a kind. */
  entry(family: DeclaredOut["family"], kind: string): DeclaredOut {
    return this.catalogue.declared.find((d) => d.family === family && d.kind === kind)!;
  }

  /** A field of values that are no step of their own: how a pull joins, how a plane lies, its gate. */
  field(family: DeclaredOut["family"], name: string): FieldOut {
    return this.entry(family, family).fields.find((f) => f.name === name)!;
  }

  /** What a pull has besides its values: marks, drawn shapes, or nothing. */
  holds(pull: Pull | undefined): DeclaredOut["holds"] {
    return pull ? this.entry("pull", pull.kind).holds : null;
  }

  trace(matte: Matte | undefined): Pull | undefined {
    return matte?.pulls.find((p) => this.holds(p) === "marks");
  }

  frame(owner: string | undefined, frame: number): FrameOut | undefined {
    return owner ? this.framesOf(owner).get(frame) : undefined;
  }

  /** The frames of a trace or a track; of a track the touched ones are in the document. */
  framesOf(owner: string | undefined): Map<number, FrameOut> {
    const stored = (owner && this.frames.get(owner)) || new Map<number, FrameOut>();
    const track = this.track(owner);
    if (!track) return stored;
    const out = new Map(stored);
    for (const frame of [track.frame, ...track.touches.map((one) => one.frame)])
      out.set(frame, {
        pull: track.id,
        frame,
        origin: "touched",
        doubt: 0,
        blob: null,
        halt: null,
      });
    return out;
  }

  trackPath(id: string): string {
    return `/tracks/${this.doc.tracks.findIndex((t) => t.id === id)}`;
  }

  mattePath(id: string): string {
    return `/mattes/${this.doc.mattes.findIndex((m) => m.id === id)}`;
  }

  planePath(id: string): string {
    return `/planes/${this.doc.planes.findIndex((p) => p.id === id)}`;
  }

  /** An id that nothing in the document has yet. */
  freshId(prefix: string): string {
    const text = JSON.stringify(this.doc);
    for (;;) {
      const id = `${prefix}-${Math.random().toString(36).slice(2, 8)}`;
      if (!text.includes(`"${id}"`)) return id;
    }
  }
}
