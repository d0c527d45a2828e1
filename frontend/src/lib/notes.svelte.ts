/** Short notes: what was done, or what went wrong and what to do. The last one is seen. */
import { Problem } from "./api";

export type Deed = { label: string; run: () => void };
export type Note = {
  id: number;
  text: string;
  detail: string;
  kind: "fault" | "note";
  deed: Deed | null;
};

class Notes {
  list = $state<Note[]>([]);
  private next = 1;

  /** deed: what would help, one press away. */
  add(text: string, detail = "", kind: Note["kind"] = "note", deed: Note["deed"] = null): void {
    if (this.list.some((n) => n.text === text && n.detail === detail)) return;
    const id = this.next++;
    this.list = [...this.list.slice(-3), { id, text, detail, kind, deed }];
    if (kind === "note") setTimeout(() => this.drop(id), deed ? 12_000 : 6000);
  }

  fault(error: unknown): void {
    if (error instanceof Problem) this.add(error.title, error.detail, "fault");
    else this.add("Something went wrong in this page.", String(error), "fault");
  }

  drop(id: number): void {
    this.list = this.list.filter((n) => n.id !== id);
  }
}

export const notes = new Notes();
