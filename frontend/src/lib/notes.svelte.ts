/** Short notes at the foot of the screen: what went wrong and what to do. */
import { Problem } from "./api";

export type Note = { id: number; text: string; detail: string; kind: "fault" | "note" };

class Notes {
  list = $state<Note[]>([]);
  private next = 1;

  add(text: string, detail = "", kind: Note["kind"] = "note"): void {
    if (this.list.some((n) => n.text === text && n.detail === detail)) return;
    const id = this.next++;
    this.list = [...this.list.slice(-3), { id, text, detail, kind }];
    if (kind === "note") setTimeout(() => this.drop(id), 6000);
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
