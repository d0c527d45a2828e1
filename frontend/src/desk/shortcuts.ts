/** The keys, in one list: what is shown in the key sheet is what works. */
import { copyKeys, escape, follow, onKeys, settle } from "./deeds";
import type { Desk } from "./desk.svelte";
import { MODES } from "./view.svelte";

export type Key = {
  keys: string;
  says: string;
  group: string;
  match: (e: KeyboardEvent) => boolean;
  run: (desk: Desk, e: KeyboardEvent) => void;
};

const plain = (e: KeyboardEvent) =>
  // a key that is written with the third level of a keyboard is that key
  (!e.ctrlKey && !e.metaKey && !e.altKey) || e.getModifierState("AltGraph");
const command = (e: KeyboardEvent) => e.ctrlKey || e.metaKey;
/** The key as this keyboard writes it, whatever its layout; with Shift or without, or either. */
const on =
  (key: string, shift: boolean | null = null) =>
  (e: KeyboardEvent) =>
    plain(e) && same(e, key) && (shift === null || e.shiftKey === shift);
const same = (e: KeyboardEvent, key: string) => e.key.toLowerCase() === key.toLowerCase();

export const KEYS: Key[] = [
  {
    keys: "Down",
    says: "Next frame",
    group: "Time",
    match: on("ArrowDown"),
    run: (d) => d.playback.go(d.playback.frame + 1),
  },
  {
    keys: "Up",
    says: "Previous frame",
    group: "Time",
    match: on("ArrowUp"),
    run: (d) => d.playback.go(d.playback.frame - 1),
  },
  {
    keys: "Page Down",
    says: "Next problem or touch",
    group: "Time",
    match: on("PageDown"),
    run: (d) => d.problem(1),
  },
  {
    keys: "Page Up",
    says: "Previous problem or touch",
    group: "Time",
    match: on("PageUp"),
    run: (d) => d.problem(-1),
  },
  {
    keys: "Home",
    says: "First frame",
    group: "Time",
    match: on("Home"),
    run: (d) => d.playback.go(d.playback.first),
  },
  {
    keys: "End",
    says: "Last frame",
    group: "Time",
    match: on("End"),
    run: (d) => d.playback.go(d.playback.last),
  },
  {
    keys: ",",
    says: "The shot’s range begins here",
    group: "Time",
    match: on(",", false),
    run: (d) => d.playback.setRange(d.playback.frame, Math.max(d.playback.frame, d.shot.range[1])),
  },
  {
    keys: ".",
    says: "The shot’s range ends here",
    group: "Time",
    match: on(".", false),
    run: (d) => d.playback.setRange(Math.min(d.playback.frame, d.shot.range[0]), d.playback.frame),
  },
  {
    keys: "Space",
    says: "Play and stop",
    group: "Time",
    match: on(" "),
    run: (d) => d.playback.toggle(),
  },
  ...MODES.map(([mode, name], i): Key => ({
    keys: String(i + 1),
    says: `View: ${name}`,
    group: "View",
    // where digits are written with Shift, its key does without it, too
    match: (e) =>
      plain(e) && (e.key === String(i + 1) || (!e.shiftKey && e.code === `Digit${i + 1}`)),
    run: (d) => void (d.view.mode = mode),
  })),
  {
    keys: "B (held)",
    says: "The matte before its edge step",
    group: "View",
    match: on("b", false),
    run: (d) => void (d.view.bare = true),
  },
  {
    keys: "P (held)",
    says: "The untreated plate",
    group: "View",
    match: on("p", false),
    run: (d) => void (d.view.plain = true),
  },
  {
    keys: "S",
    says: "Split the picture between two views",
    group: "View",
    match: on("s", false),
    run: (d) => d.view.toggleSplit(),
  },
  {
    keys: "I",
    says: "In mark",
    group: "Trace",
    match: on("i", false),
    run: (d) => void (d.tools.tool = "in"),
  },
  {
    keys: "O",
    says: "Out mark",
    group: "Trace",
    match: on("o", false),
    run: (d) => void (d.tools.tool = "out"),
  },
  {
    keys: "L",
    says: "Lasso: all inside is the subject",
    group: "Trace",
    match: on("l", false),
    run: (d) => void (d.tools.tool = "lasso"),
  },
  {
    keys: "N",
    says: "Only near here: beyond is not the subject",
    group: "Trace",
    match: on("n", false),
    run: (d) => void (d.tools.tool = "near"),
  },
  {
    keys: "D",
    says: "Drag the outline",
    group: "Trace",
    match: on("d", false),
    run: (d) => void (d.tools.tool = "drag"),
  },
  {
    keys: "Alt while drawing",
    says: "Swaps in and out mark",
    group: "Trace",
    match: () => false,
    run: () => {},
  },
  {
    keys: "E",
    says: "Erase marks",
    group: "Trace",
    match: on("e", false),
    run: (d) => void (d.tools.tool = "erase"),
  },
  {
    keys: "H",
    says: "Move the picture",
    group: "View",
    match: on("h", false),
    run: (d) => void (d.tools.tool = "hand"),
  },
  {
    keys: "[",
    says: "Smaller brush",
    group: "Trace",
    match: on("["),
    run: (d) => d.tools.sizeBrush(Math.round(d.tools.brush * 0.8)),
  },
  {
    keys: "]",
    says: "Larger brush",
    group: "Trace",
    match: on("]"),
    run: (d) => d.tools.sizeBrush(Math.ceil(d.tools.brush * 1.25)),
  },
  {
    keys: "F",
    says: "Follow on",
    group: "Trace",
    match: on("f", false),
    run: (d) => void follow(d, 1),
  },
  {
    keys: "Shift F",
    says: "Follow back",
    group: "Trace",
    match: on("f", true),
    run: (d) => void follow(d, -1),
  },
  {
    keys: "T",
    says: "Settle the matte; unsettle it",
    group: "Trace",
    match: on("t", false),
    run: (d) => void settle(d),
  },
  {
    keys: "Escape",
    says: "Stop following; close what is open",
    group: "Trace",
    match: on("Escape"),
    run: (d) => escape(d),
  },
  {
    keys: "K",
    says: "Keyframe on the value under the pointer",
    group: "Values",
    match: on("k", false),
    run: (d) => d.hovered?.(),
  },
  {
    keys: "M",
    says: "Place the selected plane on the picture",
    group: "Values",
    match: on("m", false),
    run: (d) => void (d.tools.tool = "place"),
  },
  {
    keys: "C",
    says: "Curves of what moves, or cards",
    group: "Values",
    match: on("c", false),
    run: (d) => void (d.curves = !d.curves),
  },
  {
    keys: "Shift drag on the sheet’s keys",
    says: "Choose a set of keys; drag it, its last key to stretch it, Alt to copy",
    group: "Values",
    match: () => false,
    run: () => {},
  },
  {
    keys: "Ctrl C",
    says: "Copy the keys of what is selected: of the set, or all",
    group: "Values",
    match: (e) => command(e) && same(e, "c") && !e.shiftKey,
    run: (d) => void copyKeys(d),
  },
  {
    keys: "Ctrl V",
    says: "Paste keys from this frame on",
    group: "Values",
    match: (e) => command(e) && same(e, "v") && !e.shiftKey,
    run: (d) => {
      if (d.selection.place)
        void d.shot.deed("paste", [d.selection.place], {
          to_first: d.playback.frame,
          clips: d.clips,
        });
    },
  },
  {
    keys: "R",
    says: "Reverse the set of keys, or all keys of what is selected",
    group: "Values",
    match: on("r", false),
    run: (d) => onKeys(d, "reverse"),
  },
  {
    keys: "Delete",
    says: "Remove the set of keys",
    group: "Values",
    match: on("Delete", false),
    run: (d) => d.span && onKeys(d, "remove"),
  },
  {
    keys: "A",
    says: "Shelf of treatments, or of pulls",
    group: "Work",
    match: on("a", false),
    run: (d) => void (d.selection.thing && (d.shelf = d.shelf === "recipe" ? null : "recipe")),
  },
  {
    keys: "Shift A",
    says: "Shelf of planes for the stand",
    group: "Work",
    match: on("a", true),
    run: (d) => void (d.shelf = d.shelf === "stand" ? null : "stand"),
  },
  {
    keys: "Q",
    says: "Sound: what is heard of the shot",
    group: "Work",
    match: on("q", false),
    run: (d) => d.toggleSlide("sound"),
  },
  {
    keys: "X",
    says: "Cuts: camera shots within the plate",
    group: "Work",
    match: on("x", false),
    run: (d) => d.toggleSlide("cuts"),
  },
  {
    keys: "V",
    says: "Named versions of the shot",
    group: "Work",
    match: on("v", false),
    run: (d) => d.toggleSlide("versions"),
  },
  {
    keys: "W",
    says: "Who is in the picture: people, covers, the audit",
    group: "Work",
    match: on("w", false),
    run: (d) => d.toggleSlide("people"),
  },
  {
    keys: "Ctrl Z",
    says: "Undo",
    group: "Work",
    match: (e) => command(e) && same(e, "z") && !e.shiftKey,
    run: (d) => void d.shot.step("undo"),
  },
  {
    keys: "Ctrl Shift Z",
    says: "Redo",
    group: "Work",
    match: (e) => command(e) && same(e, "z") && e.shiftKey,
    run: (d) => void d.shot.step("redo"),
  },
  {
    keys: "?",
    says: "All keys",
    group: "Work",
    match: (e) => !command(e) && e.key === "?",
    run: (d) => void (d.keysOpen = true),
  },
];

const OWN = ["INPUT", "SELECT", "TEXTAREA"];

/** Ends what a key does while it is held. */
export function released(desk: Desk, event: KeyboardEvent): void {
  if (same(event, "b")) desk.view.bare = false;
  if (same(event, "p")) desk.view.plain = false;
}

/** Runs the key's deed unless a control wants the key for itself. */
export function pressed(desk: Desk, event: KeyboardEvent): void {
  const at = event.target as HTMLElement;
  const typing = OWN.includes(at.tagName) || at.isContentEditable;
  const inside = at.closest("[role=menu],[role=dialog],[role=listbox]");
  if (inside || event.defaultPrevented) return;
  if (event.key === "Escape" && typing && at.closest(".room")) return escape(desk);
  if (typing && !(command(event) && same(event, "z") && at.getAttribute("type") === "range"))
    return;
  // a slider and a group of choices keep their arrows, a button its space
  const moving = at.closest("[role=slider],[role=radiogroup],[role=tablist],[data-bench-edge]");
  if (
    moving &&
    !("time" in (moving as HTMLElement).dataset) &&
    /^(Arrow|Home|End|Page)/.test(event.key)
  )
    return;
  if (at.tagName === "BUTTON" && event.key === " ") return;
  const key = KEYS.find((k) => k.match(event));
  if (!key) return;
  event.preventDefault();
  key.run(desk, event);
}
