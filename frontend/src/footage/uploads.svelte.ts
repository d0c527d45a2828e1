/** Uploads and the footage of one project, live. */
import { api, upload } from "../lib/api";
import type { FootageOut, JobOut, ProjectOut } from "../lib/api-types";
import type { Event } from "../lib/events";
import { notes } from "../lib/notes.svelte";

const PICTURES: Record<string, string> = { jpeg: "jpg", tiff: "tif" };

/** Of a picture what kind it is, by the ending of its name; pictures of one kind are taken as a sequence. */
function kindOf(name: string): string | null {
  const ending = /\.(png|jpe?g|tiff?|exr)$/i.exec(name)?.[1].toLowerCase();
  return ending ? (PICTURES[ending] ?? ending) : null;
}

export type Upload = { name: string; share: number; stop: () => void };

export class ProjectStore {
  project = $state.raw<ProjectOut | null>(null);
  uploads = $state.raw<Upload[]>([]);

  constructor(readonly id: number) {}

  async load(): Promise<void> {
    try {
      this.project = await api.project(this.id);
    } catch (error) {
      notes.fault(error);
    }
  }

  told(event: Event): void {
    if (event.event === "again") void this.load();
    if (event.event === "footage" && event.project === this.id) void this.load();
    if (event.event === "job" && event.job.project === this.id && this.project) {
      const jobs = this.project.jobs.filter((j) => j.id !== event.job.id);
      this.project = { ...this.project, jobs: [event.job, ...jobs] };
    }
  }

  job(footage: FootageOut): JobOut | undefined {
    return this.project?.jobs.find((j) => j.footage === footage.id && j.kind === "ingest");
  }

  /** Brings in what was dropped: pictures of a kind together, as a sequence, and each other file by itself. Gives what came first. */
  async send(files: File[]): Promise<FootageOut | null> {
    const kinds = new Map<string, File[]>();
    const others: File[] = [];
    for (const file of files) {
      const kind = kindOf(file.name);
      if (kind) kinds.set(kind, [...(kinds.get(kind) ?? []), file]);
      else others.push(file);
    }
    const sets = [...kinds.values(), ...others.map((file) => [file])];
    const found = await Promise.all(sets.map((set) => this.sendTogether(set)));
    return found.find((one) => one !== null) ?? null;
  }

  private async sendTogether(files: File[]): Promise<FootageOut | null> {
    const name = files.length > 1 ? `${files.length} pictures` : files[0].name;
    const entry: Upload = { name, share: 0, stop: () => {} };
    const { done, stop } = upload(this.id, files, (share) => {
      this.uploads = this.uploads.map((u) => (u.name === name ? { ...u, share } : u));
    });
    entry.stop = stop;
    this.uploads = [...this.uploads, entry];
    try {
      return (await done).footage;
    } catch (error) {
      notes.fault(error);
      return null;
    } finally {
      this.uploads = this.uploads.filter((u) => u.name !== name);
      await this.load();
    }
  }
}
