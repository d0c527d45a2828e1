/** A question to the person that one line, or a yes, answers; Asking.svelte shows it. */
export type Question = {
  title: string;
  /** What stands in the line at first; null where there is no line, and the answer is yes or nothing. */
  value: string | null;
  detail: string;
  deed: string;
  answered: (value: string | null) => void;
};

class Asking {
  question = $state.raw<Question | null>(null);

  /** A name, or null where the person thought better of it. */
  name(title: string, value: string, deed: string, detail = ""): Promise<string | null> {
    return new Promise((answered) => (this.question = { title, value, detail, deed, answered }));
  }

  async sure(title: string, detail: string, deed: string): Promise<boolean> {
    const yes = await new Promise<string | null>(
      (answered) => (this.question = { title, value: null, detail, deed, answered }),
    );
    return yes !== null;
  }

  answer(value: string | null): void {
    const asked = this.question;
    this.question = null;
    asked?.answered(value);
  }
}

export const asking = new Asking();
