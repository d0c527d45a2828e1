/** The colour configuration, asked once: spaces that footage may be of, and views that light is looked at by. */
import { api } from "./api";
import type { ColourOut } from "./api-types";
import { notes } from "./notes.svelte";
import type { Option } from "../ui/Select.svelte";

class Colour {
  about = $state.raw<ColourOut | null>(null);
  #asked = false;

  /** What there is, asked for with the first use. */
  get(): ColourOut | null {
    if (!this.#asked) {
      this.#asked = true;
      api
        .colour()
        .then((found) => (this.about = found))
        .catch((error: unknown) => {
          this.#asked = false;
          notes.fault(error);
        });
    }
    return this.about;
  }

  /** The spaces as the options of a list; what holds no colours is left out. */
  spaces(): Option[] {
    return (this.get()?.spaces ?? [])
      .filter((one) => one.of !== "data")
      .map((one) => ({ value: one.name, label: one.name, hint: one.family }));
  }

  /** The spaces that planes can be worked on in. */
  working(): Option[] {
    const names = this.get()?.working ?? [];
    return [
      { value: "", label: "linear BT.709", hint: "the primaries of screens" },
      ...names.map((name) => ({ value: name, label: name, hint: "linear light" })),
    ];
  }

  /** The views as the options of a list, by DISPLAY|VIEW. */
  views(): Option[] {
    return (this.get()?.views ?? []).map((one) => ({
      value: `${one.display}|${one.view}`,
      label: one.view,
      hint: one.display,
    }));
  }
}

export const colour = new Colour();
