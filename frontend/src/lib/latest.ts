/** Asks one thing after another and never two at once: of what was wanted meanwhile, only the last is asked. */

/** Between two questions there is at least so much of the time that the last one took. */
const REST = 2;

export class Latest {
  private busy = false;
  private next: (() => Promise<unknown>) | null = null;
  private timer: ReturnType<typeof setTimeout> | undefined;

  /** Asks once nothing else of this is under way, and `pause` milliseconds after the last wish at the earliest. */
  ask(deed: () => Promise<unknown>, pause = 0): void {
    this.next = deed;
    clearTimeout(this.timer);
    if (!this.busy) this.timer = setTimeout(() => void this.run(), pause);
  }

  /** Whether something else is wanted by now. */
  get waits(): boolean {
    return this.next !== null;
  }

  /** What waits is not asked any more. */
  drop(): void {
    this.next = null;
    clearTimeout(this.timer);
  }

  private async run(): Promise<void> {
    this.busy = true;
    while (this.next) {
      const [deed, began] = [this.next, performance.now()];
      this.next = null;
      try {
        await deed();
      } catch {
        // the next change asks again; a lost connection is told elsewhere
      }
      const took = performance.now() - began;
      await new Promise((done) => setTimeout(done, Math.min(REST * took, 4000)));
    }
    this.busy = false;
  }
}
