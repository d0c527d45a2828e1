/** Uploads and the footage of one project, live. */
import { api, upload } from "../lib/api";
import type { FootageOut, JobOut, ProjectOut } from "../lib/api-types";
import type { Event } from "../lib/events";
import { notes } from "../lib/notes.svelte";

const PICTURES: Record<string, string> = { jpeg: "jpg", tiff: "tif", j2k: "jp2" };

/** Of a picture what kind it is, by the ending of its name. */
function kindOf(name: string): string | null {
  const ending = /\.(png|jpe?g|tiff?|exr|dpx|webp|avif|bmp|tga|jp2|j2k)$/i
    .exec(name)?.[1]
    .toLowerCase();
  return ending ? (PICTURES[ending] ?? ending) : null;
}

/** A file that was dropped, and the folder in it lay. */
export type Dropped = { file: File; folder: string };

/**
 * What is brought in together: pictures of one kind, one folder and one name before their number are a sequence; those
 * without numbers of their own are one by their kind alone; every other file is by itself.
 */
export function setsOf(files: Dropped[]): File[][] {
  const numbered = new Map<string, File[]>();
  const kinds = new Map<string, File[]>();
  const others: File[][] = [];
  const into = (map: Map<string, File[]>, key: string, file: File) =>
    map.set(key, [...(map.get(key) ?? []), file]);
  for (const { file, folder } of files) {
    const kind = kindOf(file.name);
    if (!kind) {
      others.push([file]);
      continue;
    }
    const stem = file.name.replace(/\.[^.]+$/, "").replace(/[\s._-]*\d+$/, "");
    into(numbered, JSON.stringify([folder, stem, kind]), file);
    into(kinds, kind, file);
  }
  const sequences = [...numbered.values()];
  const told = sequences.some((one) => one.length > 1) ? sequences : [...kinds.values()];
  return [...told, ...others];
}

/** All files of what was dropped, those in folders too. What a system keeps for itself is left out. */
export async function filesOf(data: DataTransfer | null): Promise<Dropped[]> {
  const entries = [...(data?.items ?? [])].map((one) => one.webkitGetAsEntry?.() ?? null);
  if (entries.some((one) => one?.isDirectory)) {
    const found: Dropped[] = [];
    for (const entry of entries) if (entry) await walk(entry, "", found);
    return found.filter((one) => !one.file.name.startsWith("."));
  }
  return [...(data?.files ?? [])].map((file) => ({ file, folder: "" }));
}

async function walk(entry: FileSystemEntry, folder: string, found: Dropped[]): Promise<void> {
  if (entry.isFile) {
    const file = await new Promise<File>((good, bad) =>
      (entry as FileSystemFileEntry).file(good, bad),
    );
    found.push({ file, folder });
    return;
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  // a directory is told in pieces, the last of which is empty
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((good, bad) => reader.readEntries(good, bad));
    if (!some.length) return;
    for (const one of some) await walk(one, entry.fullPath, found);
  }
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

  /** Brings in what was dropped or chosen, each sequence and each other file by itself. Gives what came first. */
  async send(files: (File | Dropped)[]): Promise<FootageOut | null> {
    const sets = setsOf(
      files.map((one) => (one instanceof File ? { file: one, folder: "" } : one)),
    );
    const found = await Promise.all(sets.map((set) => this.sendTogether(set)));
    return found.find((one) => one !== null) ?? null;
  }

  private async sendTogether(files: File[]): Promise<FootageOut | null> {
    const name = files.length > 1 ? `${files[0].name} and ${files.length - 1} more` : files[0].name;
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
