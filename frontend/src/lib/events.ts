/**
 * The server's events, over one connection that comes back by itself.
 *
 * A browser grants few connections to one server: of all windows one holds it and passes on what it is told. When that
 * window closes, another one takes over, and all look again, since something may have been missed between.
 */
import type { FrameOut, JobOut } from "./api-types";

export type Event =
  | { event: "hello" }
  | { event: "again" }
  | { event: "shot"; shot: number; revision: number; project: number }
  | ({ event: "frame"; shot: number } & Omit<FrameOut, "origin"> & {
        origin: FrameOut["origin"] | null;
      })
  | { event: "job"; job: JobOut }
  | { event: "project"; project: number }
  | { event: "footage"; footage: number; state: string; project: number };

/** anew: the connection has come or gone just now, and is not only told to a window that asks. */
type Heard = { event: Event } | { up: boolean; anew: boolean } | "who";
type Listener = { told: (event: Event) => void; online: (up: boolean) => void };

const NAME = "cuvrel-events";

class Events {
  private listeners = new Set<Listener>();
  private channel: BroadcastChannel | null = null;
  private source: EventSource | null = null;
  private leave: (() => void) | null = null;
  private timer = 0;
  private up: boolean | null = null;

  add(listener: Listener): () => void {
    this.listeners.add(listener);
    if (this.listeners.size === 1) this.begin();
    else if (this.up !== null) listener.online(this.up);
    return () => {
      this.listeners.delete(listener);
      if (!this.listeners.size) this.end();
    };
  }

  private begin(): void {
    if (!navigator.locks) return this.connect(); // only a safe origin has them
    this.channel = new BroadcastChannel(NAME);
    this.channel.onmessage = ({ data }: MessageEvent<Heard>) => {
      if (data === "who") {
        if (this.source && this.up !== null)
          this.channel?.postMessage({ up: this.up, anew: false });
      } else this.hear(data);
    };
    this.channel.postMessage("who");
    const waiting = new AbortController();
    const gone = new Promise<void>((done) => {
      this.leave = () => (done(), waiting.abort());
    });
    void navigator.locks
      .request(NAME, { signal: waiting.signal }, () => {
        if (!this.leave) return;
        this.connect();
        return gone;
      })
      .catch(() => {}); // closed before its turn
  }

  private end(): void {
    clearTimeout(this.timer);
    this.source?.close();
    this.source = null;
    this.leave?.();
    this.leave = null;
    this.channel?.close();
    this.channel = null;
    this.up = null;
  }

  private connect(): void {
    const source = new EventSource("/api/events");
    this.source = source;
    source.onmessage = (message) => {
      const event = JSON.parse(message.data) as Event;
      if (event.event === "hello") this.pass({ up: true, anew: true });
      else this.pass({ event });
    };
    source.onerror = () => {
      source.close();
      this.pass({ up: false, anew: true });
      this.timer = window.setTimeout(() => this.source === source && this.connect(), 1000);
    };
  }

  private pass(heard: Exclude<Heard, "who">): void {
    this.channel?.postMessage(heard);
    this.hear(heard);
  }

  private hear(heard: Exclude<Heard, "who">): void {
    if ("event" in heard) {
      for (const { told } of this.listeners) told(heard.event);
      return;
    }
    // whenever a connection has come anew, something may have been missed
    const again = heard.up && heard.anew && this.up !== null;
    if (this.up === heard.up && !again) return;
    this.up = heard.up;
    for (const { told, online } of this.listeners) {
      online(heard.up);
      if (again) told({ event: "again" });
    }
  }
}

const events = new Events();

/** Tells of events, and of whether the server is there; returns a way to stop. */
export function listen(told: (event: Event) => void, online: (up: boolean) => void): () => void {
  return events.add({ told, online });
}
