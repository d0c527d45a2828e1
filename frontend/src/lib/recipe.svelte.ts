/** A shot's document, and what is found in it. */
import type {
  CatalogueOut,
  DeclaredOut,
  FieldOut,
  FrameOut,
  Matte,
  Plane,
  Pull,
  Shot,
} from "./api-types";

export class Recipe {
  doc: Shot;
  /** Stored frames of what has marks, by pull and frame. */
  frames = $state.raw<Map<string, Map<number, FrameOut>>>(new Map());

  constructor(
    document: Shot,
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

  frame(pull: string | undefined, frame: number): FrameOut | undefined {
    return pull ? this.frames.get(pull)?.get(frame) : undefined;
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
