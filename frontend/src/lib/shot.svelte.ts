/** The document of the open shot: edits are applied at once and confirmed by the server. */
import { api, Problem, type Op } from "./api";
import type {
  CatalogueOut,
  DeedRequest,
  EditOut,
  FrameOut,
  History,
  JobOut,
  Reel,
  Shot,
  ShotOut,
  Track,
  Touched,
  Use,
} from "./api-types";
import { applied, overlap } from "./document";
import type { Event } from "./events";
import { notes } from "./notes.svelte";
import { Recipe } from "./recipe.svelte";
import { entryOf, fpsOf, isReel, laid, lengthOf, type Laid } from "./reel";

/** Answers after which an edit is sent again: nobody there, the database away, the disk full. */
const WAITS = [0, 503, 507];

type Pending = { ops: Op[]; label: string; gesture: string | null };

const follows = (job: JobOut) => job.kind === "follow" || job.kind === "track";
const under = (job: JobOut) => job.state === "waiting" || job.state === "working";

export class ShotStore extends Recipe {
  about: ShotOut;
  /** Which mattes and planes name which others, as the server has it. */
  uses = $state.raw<Use[]>([]);
  history = $state.raw<History>({ undo: null, redo: null });
  jobs = $state.raw<JobOut[]>([]);
  online = $state(true);
  saving = $state(false);
  /** Counts up when pictures may have changed. */
  version = $state(0);
  /** Counts up with each frame that a follow brings, with the frame. */
  arrived = $state.raw<{ pull: string; frame: number } | null>(null);
  /** Settled mattes whose recipe has changed since. */
  outdated = $state.raw<string[]>([]);
  halted = $state.raw<{ pull: string; frame: number } | null>(null);

  private revision = 0;
  /** The same, for what is shown. */
  private revisionNow = $state(0);
  private confirmed: Shot | Reel;
  private queue: Pending[] = [];
  private sending = false;
  private behind = false;
  /** The newest revision that was told of. */
  private heardOf = 0;
  private reloads = new Set<Event[]>();
  private steps: ("undo" | "redo")[] = [];

  constructor(shot: ShotOut, catalogue: CatalogueOut) {
    super(shot.document, catalogue);
    this.about = $state.raw(shot);
    this.confirmed = $state.raw(shot.document);
    this.take(shot);
    const lost = this.jobs.find((job) => follows(job) && job.state === "failed");
    if (lost) this.failed(lost);
  }

  /** The frame that is looked at: its marks are solved before those of others. */
  shown: () => number | null = () => null;

  /** Loads a shot. What is told meanwhile is put into `told` by the caller: it is newer than the answer. */
  static async open(id: number, told: Event[] = []): Promise<ShotStore> {
    const [catalogue, about] = await Promise.all([api.catalogue(), api.shot(id)]);
    const shot = new ShotStore(about, catalogue);
    for (const event of told) shot.heard(event);
    return shot;
  }

  get id(): number {
    return this.about.id;
  }

  private take(shot: ShotOut): void {
    this.about = shot;
    this.doc = this.confirmed = shot.document;
    this.revision = this.revisionNow = shot.revision;
    this.history = shot.history;
    this.jobs = shot.jobs;
    this.uses = shot.uses;
    this.takeFrames(shot.frames);
    this.fit();
    this.version++;
  }

  /** The document as a reel, if it is one. */
  get reel(): Reel | null {
    return isReel(this.doc) ? this.doc : null;
  }

  /** Where the pieces of a reel lie; none of a shot. */
  readonly laid: Laid[] = $derived(isReel(this.doc) ? laid(this.doc) : []);

  /** What stands for the plate of a reel follows from its pieces. */
  private fit(): void {
    const reel = this.reel;
    if (!reel) return;
    const { plate } = this.about;
    const first = reel.pieces.length ? entryOf(reel, reel.pieces[0].shot) : undefined;
    const now = {
      frames: lengthOf(this.laid),
      fps: fpsOf(reel),
      width: reel.format.width ?? (first?.width || 1280),
      height: reel.format.height ?? (first?.height || 720),
    };
    if (Object.entries(now).some(([name, value]) => plate[name as keyof typeof now] !== value))
      this.about = { ...this.about, plate: { ...plate, ...now } };
  }

  private takeFrames(list: FrameOut[]): void {
    const frames = new Map<string, Map<number, FrameOut>>();
    for (const frame of list) {
      if (!frames.has(frame.pull)) frames.set(frame.pull, new Map());
      frames.get(frame.pull)!.set(frame.frame, frame);
    }
    this.frames = frames;
  }

  /** The tracks as the server has them. */
  get serverTracks(): Track[] {
    return this.confirmed.tracks;
  }

  get count(): number {
    return this.about.plate.frames;
  }

  /** Whether a frame is among those that are worked on. */
  inRange(frame: number): boolean {
    const [first, last] = this.range;
    return frame >= first && frame <= last;
  }

  /** The first and the last frame that are worked on. */
  get range(): [number, number] {
    const { first, last } = this.doc.range;
    const end = Math.min(last ?? this.count - 1, this.count - 1);
    return [Math.min(first ?? 0, end), end];
  }

  /** Whether the server knows this matte, plane or track already: only then can a picture of it be asked for. */
  onServer(id: string): boolean {
    const doc = this.confirmed;
    return [doc.mattes, doc.planes, doc.tracks].some((all) => all.some((one) => one.id === id));
  }

  edit(ops: Op[], label: string, gesture: string | null = null): void {
    try {
      this.doc = applied(this.doc, ops);
      this.fit();
    } catch (error) {
      notes.fault(error);
      return;
    }
    const last = this.queue.at(-1);
    const replaces = gesture !== null && last?.gesture === gesture && samePaths(last.ops, ops);
    // the head of the queue may be on its way already: it is never changed any more
    if (replaces && !(this.sending && this.queue.length === 1)) last.ops = ops;
    else this.queue.push({ ops, label, gesture });
    void this.pump();
  }

  private async pump(): Promise<void> {
    if (this.sending) return;
    this.sending = this.saving = true;
    while (this.queue.length) {
      const head = this.queue[0];
      try {
        const { ops, label, gesture } = head;
        const done = await api.edit(this.id, this.revision, ops, label, gesture, this.shown());
        this.queue.shift();
        this.online = true;
        this.confirm(done);
        if (!this.queue.length) this.doc = this.confirmed;
        this.fit();
      } catch (error) {
        if (error instanceof Problem && WAITS.includes(error.status)) {
          if (error.status === 507) notes.fault(error);
          else this.online = false;
          await new Promise((go) => setTimeout(go, 1000));
          continue;
        }
        this.refused(error);
      }
    }
    this.sending = this.saving = false;
    if (this.behind || this.heardOf > this.revision) await this.reload();
    const next = this.steps.shift();
    if (next) void this.step(next);
  }

  /** Drops an edit that the server did not take, and those that rest on it; all others go on to be sent. */
  private refused(error: unknown): void {
    const [head, ...rest] = this.queue;
    let gone = head.ops;
    this.queue = rest.filter((later) => {
      const rests = overlap(gone, later.ops);
      if (rests) gone = [...gone, ...later.ops];
      return !rests;
    });
    const more = rest.length - this.queue.length;
    notes.fault(error);
    if (more) notes.add(`${more} more ${more === 1 ? "change" : "changes"} rested on that one.`);
    // what is shown has them still; what is sent meanwhile is held against all that has changed since
    this.behind = true;
  }

  /** Takes over what an edit did: what others did before it is among its operations. */
  private confirm(done: EditOut): void {
    const plate = this.confirmed.plate;
    this.confirmed = applied(this.confirmed, done.ops as Op[]);
    // another plate has other frames, and a film of its own
    if (this.confirmed.plate !== plate) this.behind = true;
    this.revision = this.revisionNow = done.revision;
    this.history = done.history;
    if (done.uses) this.uses = done.uses;
    this.takeTouched(done.touched);
    this.version++;
  }

  /** Does something to the keyframes of all values at or under some places; what is on its way is waited for. */
  async deed(
    kind: DeedRequest["kind"],
    places: string[],
    more: Partial<DeedRequest> = {},
    label = "",
  ): Promise<boolean> {
    try {
      await this.settled();
      const blank = { first: 0, last: 0, to_first: 0, to_last: 0, ease: "smooth" as const };
      const found = await api.deed(this.id, { ...blank, clips: [], ...more, kind, places });
      this.edit(found.ops as Op[], label || found.label);
      return true;
    } catch (error) {
      notes.fault(error);
      return false;
    }
  }

  /** Undo or redo; pressed while an edit is on its way, it happens right after it. */
  async step(way: "undo" | "redo"): Promise<void> {
    if (this.queue.length || this.sending) {
      this.steps.push(way);
      return;
    }
    if (!this.history[way]) return;
    this.sending = this.saving = true;
    try {
      const done = await api[way](this.id);
      // what another window did before it is not told here
      if (done.base !== this.revision) this.behind = true;
      else {
        this.confirm(done);
        this.doc = this.confirmed;
        this.fit();
      }
    } catch (error) {
      notes.fault(error);
    } finally {
      this.sending = false;
    }
    void this.pump();
  }

  private async fetch(): Promise<void> {
    // what is told while the answer is on its way is newer than the answer
    const told: Event[] = [];
    this.reloads.add(told);
    try {
      const now = await api.shot(this.id);
      this.reloads.delete(told);
      // an edit that was begun meanwhile may be part of it or not: it is fetched again after that
      if (this.sending) {
        this.behind = true;
        return;
      }
      this.take(now);
      for (const event of told) this.heard(event);
    } finally {
      this.reloads.delete(told);
    }
  }

  /** Waits until the server has all that was done here. */
  async settled(): Promise<void> {
    while (this.sending || this.queue.length) await new Promise((go) => setTimeout(go, 30));
  }

  /** Goes back to a version: one more step of the history. */
  async goBack(version: number): Promise<void> {
    try {
      await this.settled();
      await api.goBack(this.id, version);
    } catch (error) {
      notes.fault(error);
    }
    await this.reload();
  }

  /** Looks again what the server has. */
  look(): void {
    if (this.sending) this.behind = true;
    else void this.reload();
  }

  private async reload(): Promise<void> {
    this.behind = false;
    try {
      await this.fetch();
    } catch (error) {
      notes.fault(error);
    }
  }

  told(event: Event): void {
    if (event.event === "again") this.look();
    if (event.event === "footage" && this.doc.footage.some((f) => f.id === String(event.footage))) {
      // it is read otherwise: the document stays, its pictures are others
      this.version++;
      this.look();
    }
    if (event.event === "shot" && event.shot === this.id && event.revision > this.revision) {
      // our own edit is confirmed by its answer; another window's is fetched
      this.heardOf = Math.max(this.heardOf, event.revision);
      if (!this.sending) void this.reload();
    }
    for (const later of this.reloads) later.push(event);
    this.heard(event);
  }

  private heard(event: Event): void {
    if (event.event === "frame" && event.shot === this.id) this.takeFrame(event);
    if (event.event === "job" && event.job.shot === this.id) this.takeJob(event.job);
  }

  private takeTouched(touched: Touched[]): void {
    for (const { pull, frame, now } of touched) this.putFrame(pull, frame, now);
  }

  private takeFrame(event: Extract<Event, { event: "frame" }>): void {
    this.putFrame(
      event.pull,
      event.frame,
      event.origin === null ? null : { ...event, origin: event.origin },
    );
    if (event.origin === "followed") this.arrived = { pull: event.pull, frame: event.frame };
  }

  private putFrame(pull: string, frame: number, now: FrameOut | null): void {
    const frames = new Map(this.frames);
    const of = new Map(frames.get(pull) ?? []);
    if (now) of.set(frame, now);
    else of.delete(frame);
    frames.set(pull, of);
    this.frames = frames;
  }

  takeJob(job: JobOut): void {
    const before = this.jobs.find((j) => j.id === job.id);
    // the answer to a request may come after the events that followed it
    if (before && job.told < before.told) return;
    this.jobs = before ? this.jobs.map((j) => (j.id === job.id ? job : j)) : [job, ...this.jobs];
    if (before?.state === job.state) return;
    if (follows(job) && !under(job)) {
      this.version++;
      const pull = String(job.result.pull ?? job.args.pull);
      if (job.result.halt) this.halted = { pull, frame: Number(job.result.frame) };
    }
    if (job.state === "failed") this.failed(job);
    if (job.kind === "export" && job.state === "done") notes.add(`${job.title}: ready.`);
  }

  private failed(job: JobOut): void {
    const again = () =>
      void api.again(job.id).then(
        (now) => this.takeJob(now),
        (error) => notes.fault(error),
      );
    notes.add(`${job.title} failed.`, job.message, "fault", { label: "Run again", run: again });
  }

  /** Asks which settled mattes are out of date; only where there are any. */
  async compare(): Promise<void> {
    const any = this.doc.mattes.some((m) => m.settled);
    try {
      this.outdated = any ? (await api.settled(this.id)).out_of_date : [];
    } catch {
      // the next change asks again; a lost connection is told elsewhere
    }
  }

  get settling(): JobOut | undefined {
    return this.jobs.find((j) => j.kind === "settle" && under(j));
  }

  /** The revision that is confirmed. */
  get at(): number {
    return this.revisionNow;
  }

  /** The newest finished job of a kind. */
  last(kind: string): JobOut | undefined {
    return this.jobs
      .filter((job) => job.kind === kind && job.state === "done")
      .reduce<JobOut | undefined>(
        (best, job) => (best && best.id > job.id ? best : job),
        undefined,
      );
  }

  /** The job of a kind that is under way. */
  underWay(kind: string): JobOut | undefined {
    return this.jobs.find((job) => job.kind === kind && under(job));
  }

  /** The follow of a trace or of tracks that is under way, if any. */
  get following(): JobOut | undefined {
    return this.jobs.find((j) => follows(j) && under(j));
  }

  get solving(): JobOut | undefined {
    return this.jobs.find((j) => j.kind === "solve" && under(j));
  }

  get exporting(): JobOut | undefined {
    return this.jobs.find((j) => j.kind === "export" && under(j));
  }
}

function samePaths(a: Op[], b: Op[]): boolean {
  return a.length === b.length && a.every((op, i) => op.path === b[i].path && op.op === b[i].op);
}
