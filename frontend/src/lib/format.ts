import type { JobOut } from "./api-types";

export function bytes(n: number): string {
  if (n < 1000) return `${n} B`;
  if (n < 1e6) return `${(n / 1e3).toFixed(0)} kB`;
  if (n < 1e9) return `${(n / 1e6).toFixed(1)} MB`;
  return `${(n / 1e9).toFixed(2)} GB`;
}

/** ", 12 s left", once there is enough to judge by. */
export function left(job: JobOut, now: number): string {
  if (!job.started || job.done < 4 || !job.total) return "";
  const passed = (now - Date.parse(job.started)) / 1000;
  const seconds = Math.max(0, Math.round((passed / job.done) * (job.total - job.done)));
  return seconds > 90 ? `, ${Math.round(seconds / 60)} min left` : `, ${seconds} s left`;
}

export function ago(iso: string): string {
  const minutes = Math.round((Date.now() - Date.parse(iso)) / 60000);
  if (minutes < 1) return "just now";
  if (minutes < 60) return `${minutes} min ago`;
  if (minutes < 60 * 36) return `${Math.round(minutes / 60)} h ago`;
  return new Date(iso).toLocaleDateString(undefined, {
    day: "numeric",
    month: "long",
    year: "numeric",
  });
}
