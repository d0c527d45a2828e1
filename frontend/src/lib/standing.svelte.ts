/** How the program itself stands: room on the disk, whether somebody works. Looked at once a minute, and when told to. */
import { api } from "./api";

class Standing {
  /** What somebody should know, in a sentence; none as long as all is well. */
  says = $state("");
  private users = 0;
  private timer = 0;

  /** Looks as long as somebody shows it; returns a way to stop. */
  use(): () => void {
    if (this.users++ === 0) {
      void this.look();
      this.timer = window.setInterval(() => void this.look(), 60_000);
    }
    return () => {
      if (--this.users === 0) clearInterval(this.timer);
    };
  }

  async look(): Promise<void> {
    try {
      this.says = (await api.health()).says.join(" ");
    } catch {
      // that the server is away is shown elsewhere
    }
  }
}

export const standing = new Standing();
