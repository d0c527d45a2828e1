/** The server's events, over one connection that comes back by itself. */
import type { FrameOut, JobOut } from "./api-types";

export type Event =
  | { event: "hello" }
  | { event: "again" }
  | { event: "shot"; shot: number; revision: number }
  | ({ event: "frame"; shot: number } & Omit<FrameOut, "origin"> & {
        origin: FrameOut["origin"] | null;
      })
  | { event: "job"; job: JobOut }
  | { event: "project"; project: number }
  | { event: "footage"; footage: number; state: string; project: number };

export function listen(told: (event: Event) => void, online: (up: boolean) => void): () => void {
  let source: EventSource | null = null;
  let timer = 0;
  let closed = false;
  let first = true;

  const open = () => {
    source = new EventSource("/api/events");
    source.onmessage = (message) => {
      const event = JSON.parse(message.data) as Event;
      if (event.event === "hello") {
        online(true);
        if (!first) told({ event: "again" });
        first = false;
      } else told(event);
    };
    source.onerror = () => {
      online(false);
      source?.close();
      if (!closed) timer = window.setTimeout(open, 1000);
    };
  };
  open();
  return () => {
    closed = true;
    clearTimeout(timer);
    source?.close();
  };
}
