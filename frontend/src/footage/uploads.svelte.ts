/** Uploads and the footage of one project, live. */
import { api, upload } from "../lib/api";
import type { FootageOut, JobOut, ProjectOut } from "../lib/api-types";
import type { Event } from "../lib/events";
import { notes } from "../lib/notes.svelte";

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

  /** Brings in what was dropped: pictures together, as a sequence, and each video by itself. Gives what came first. */
  async send(files: File[]): Promise<FootageOut | null> {
    const pictures = files.filter((file) => /\.png$/i.test(file.name));
    const videos = files.filter((file) => !pictures.includes(file));
    const sets = [...(pictures.length ? [pictures] : []), ...videos.map((file) => [file])];
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
