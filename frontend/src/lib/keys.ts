/** The keys, in one list: what is shown in the key sheet is what works. */
import { api } from "./api";
import type { Desk, Mode } from "./desk.svelte";
import { notes } from "./notes.svelte";

export type Key = {
  keys: string;
  says: string;
  group: string;
  match: (e: KeyboardEvent) => boolean;
  run: (desk: Desk, e: KeyboardEvent) => void;
};

const plain = (e: KeyboardEvent) => !e.ctrlKey && !e.metaKey && !e.altKey;
const command = (e: KeyboardEvent) => e.ctrlKey || e.metaKey;
const on =
  (code: string, shift: boolean | null = null) =>
  (e: KeyboardEvent) =>
    plain(e) && e.code === code && (shift === null || e.shiftKey === shift);

export async function follow(desk: Desk, step: 1 | -1): Promise<void> {
  const pull = desk.trace;
  if (!pull) return notes.add("There is no trace to follow.", "Select a matte that has one.");
  try {
    desk.shot.takeJob(await api.follow(desk.shot.id, pull.id, desk.frame, step));
  } catch (error) {
    notes.fault(error);
  }
}

const modes: [Mode, string][] = [
  ["result", "Result"],
  ["veil", "Veil"],
  ["matte", "Matte"],
  ["cutout", "Cut-out"],
  ["unroll", "Unroll"],
  ["onion", "Onion skin"],
];

export const KEYS: Key[] = [
  {
    keys: "Down",
    says: "Next frame",
    group: "Time",
    match: on("ArrowDown"),
    run: (d) => d.go(d.frame + 1),
  },
  {
    keys: "Up",
    says: "Previous frame",
    group: "Time",
    match: on("ArrowUp"),
    run: (d) => d.go(d.frame - 1),
  },
  {
    keys: "Page Down",
    says: "Next doubt or touch",
    group: "Time",
    match: on("PageDown"),
    run: (d) => d.problem(1),
  },
  {
    keys: "Page Up",
    says: "Previous doubt or touch",
    group: "Time",
    match: on("PageUp"),
    run: (d) => d.problem(-1),
  },
  {
    keys: "Home",
    says: "First frame",
    group: "Time",
    match: on("Home"),
    run: (d) => d.go(d.first),
  },
  { keys: "End", says: "Last frame", group: "Time", match: on("End"), run: (d) => d.go(d.last) },
  {
    keys: "Space",
    says: "Play and stop",
    group: "Time",
    match: on("Space"),
    run: (d) => d.toggle(),
  },
  ...modes.map(([mode, name], i): Key => ({
    keys: String(i + 1),
    says: `View: ${name}`,
    group: "View",
    match: on(`Digit${i + 1}`, false),
    run: (d) => void (d.mode = mode),
  })),
  {
    keys: "I",
    says: "In mark",
    group: "Trace",
    match: on("KeyI", false),
    run: (d) => void (d.tool = "in"),
  },
  {
    keys: "O",
    says: "Out mark",
    group: "Trace",
    match: on("KeyO", false),
    run: (d) => void (d.tool = "out"),
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
    match: on("KeyE", false),
    run: (d) => void (d.tool = "erase"),
  },
  {
    keys: "H",
    says: "Move the picture",
    group: "View",
    match: on("KeyH", false),
    run: (d) => void (d.tool = "hand"),
  },
  {
    keys: "[",
    says: "Smaller brush",
    group: "Trace",
    match: on("BracketLeft"),
    run: (d) => void (d.brush = Math.max(1, Math.round(d.brush * 0.8))),
  },
  {
    keys: "]",
    says: "Larger brush",
    group: "Trace",
    match: on("BracketRight"),
    run: (d) => void (d.brush = Math.min(200, Math.ceil(d.brush * 1.25))),
  },
  {
    keys: "F",
    says: "Follow on",
    group: "Trace",
    match: on("KeyF", false),
    run: (d) => void follow(d, 1),
  },
  {
    keys: "Shift F",
    says: "Follow back",
    group: "Trace",
    match: on("KeyF", true),
    run: (d) => void follow(d, -1),
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
    match: on("KeyK", false),
    run: (d) => d.hovered?.(),
  },
  {
    keys: "Ctrl Z",
    says: "Undo",
    group: "Work",
    match: (e) => command(e) && e.code === "KeyZ" && !e.shiftKey,
    run: (d) => void d.shot.step("undo"),
  },
  {
    keys: "Ctrl Shift Z",
    says: "Redo",
    group: "Work",
    match: (e) => command(e) && e.code === "KeyZ" && e.shiftKey,
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

function escape(desk: Desk): void {
  if (desk.slide !== "none") desk.slide = "none";
  else if (desk.shot.following) void api.stop(desk.shot.following.id).catch(notes.fault);
  else desk.loop = null;
}

const OWN = ["INPUT", "SELECT", "TEXTAREA"];

/** Runs the key's deed unless a control wants the key for itself. */
export function pressed(desk: Desk, event: KeyboardEvent): void {
  const at = event.target as HTMLElement;
  const typing = OWN.includes(at.tagName) || at.isContentEditable;
  const inside = at.closest("[role=menu],[role=dialog],[role=listbox]");
  if (inside || event.defaultPrevented) return;
  if (typing && !(command(event) && event.code === "KeyZ" && at.getAttribute("type") === "range"))
    return;
  // a slider keeps its arrows, a button its space
  if (
    at.getAttribute("role") === "slider" &&
    at.dataset.time === undefined &&
    /^(Arrow|Home|End|Page)/.test(event.key)
  )
    return;
  if (at.tagName === "BUTTON" && event.code === "Space") return;
  const key = KEYS.find((k) => k.match(event));
  if (!key) return;
  event.preventDefault();
  key.run(desk, event);
}
