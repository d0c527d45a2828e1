/** What the person is looking at and working with; none of it is part of the document. */
import type { How } from "./cards";
import { SvelteMap } from "svelte/reactivity";
import type { Clip, CoverRequest, FieldOut, FootageOut, Riding, Track } from "../lib/api-types";
import { entryOf, known } from "../lib/document";
import type { Event } from "../lib/events";
import type { ShotStore } from "../lib/shot.svelte";
import type { Env, Xy } from "../lib/values";
import { heightOf, SPINE, type Slip } from "../bench/slips";
import { exposedFrames } from "../people/people";
import { Looks, type Laying } from "../looks/looks.svelte";
import { Checks } from "./checks.svelte";
import { Costs } from "./costs.svelte";
import { Inside } from "./inside.svelte";
import { Motions } from "./motions.svelte";
import { Playback } from "./playback.svelte";
import type { Dropped } from "../footage/uploads.svelte";
import { Selection } from "./selection.svelte";
import { Tools } from "./tools.svelte";
import { View } from "./view.svelte";

export type Slide = "none" | "footage" | "exports" | "versions" | "people" | "sound" | "cuts";
/** A value that can be taken hold of on the picture: a point, or an angle in degrees. */
export type Handle = {
  name: string;
  field: FieldOut;
  value: Xy | number;
  set: (value: Xy | number, gesture?: string | null) => void;
};

export const DOUBTFUL = 0.5;
const DEFAULT_BENCH = 252;
const SHELF = 316; // pixels that a shelf takes, two rows of pictures
const BENCH_EDGES = 50; // pixels of the bench above and below its cards

export class Desk {
  selection: Selection;
  view: View;
  tools: Tools;
  playback: Playback;
  checks: Checks;
  costs: Costs;
  motions: Motions;
  inside: Inside;

  /** Files that were dropped on the desk, until the room of footage takes them. */
  dropped = $state.raw<Dropped[]>([]);
  slide = $state<Slide>("none");
  keysOpen = $state(false);
  /** The control under the pointer that K keys. */
  hovered: (() => void) | null = null;
  /** Values of the open cards that have a place on the picture, by where they lie in the document. */
  handles = new SvelteMap<string, Handle>();
  /** Which shelf lies over the bench: for what is selected, or for a new plane of the stand. */
  shelf = $state<"recipe" | "stand" | null>(null);
  /** Pixels, as the person set it; remembered by this browser. */
  private benchSet = $state(DEFAULT_BENCH);
  /** Pixels that the chosen card asks for. */
  private benchAsked = $state(0);
  /** The cards of each selection that were opened, the last one last. */
  opened = new SvelteMap<string, string[]>();
  /** Keyframes that were copied from values of a plane or a matte. */
  clips = $state.raw<Clip[]>([]);
  /** Whether the bench shows curves in place of cards. */
  curves = $state(false);
  /** The frames whose keys are chosen on the sheet, first and last. */
  span = $state.raw<[number, number] | null>(null);
  /** What is asked before something arrives or leaves: places in the document, what it is called, which way. */
  arriving = $state.raw<{ places: string[]; title: string; way: "arrive" | "leave" } | null>(null);

  looks = new Looks();
  /** A look that is being laid on, as long as it asks for something. */
  laying = $state.raw<Laying | null>(null);
  /** The plane of which a look is being saved. */
  saving = $state<string | null>(null);
  /** By what somebody who is chosen is covered. */
  coverBy = $state<NonNullable<CoverRequest["how"]>>("mosaic");
  /** What is about to ride: what it is called, and who takes the track that is pressed. */
  riding = $state.raw<{
    name: string;
    take: (track: Track, place?: Pick<Riding, "place" | "facing">) => void;
  } | null>(null);
  /** Points of a camera's scene that are chosen, by their numbers. */
  scenePicks = $state.raw<number[]>([]);
  /** How the plane that is about to stand in the scene is to stand. */
  standing = $state<How>("upright");
  /** The footage that is about to come under the shot. */
  swapping = $state.raw<FootageOut | null>(null);

  constructor(
    readonly shot: ShotStore,
    /** The reel that the shot was opened from, and the frame there. */
    readonly from: [number, number] | null = null,
  ) {
    this.selection = new Selection(shot);
    this.view = new View(shot, this.selection);
    this.tools = new Tools(shot, this.selection, this.view);
    this.playback = new Playback(shot, this.view);
    shot.shown = () => this.playback.frame;
    this.checks = new Checks(shot);
    this.costs = new Costs(shot);
    this.motions = new Motions(shot);
    this.inside = new Inside(shot);
    this.benchSet = Number(localStorage.getItem("bench")) || DEFAULT_BENCH;
  }

  /** Sets the bench's height and remembers it; null is the default, which is not remembered. */
  sizeBench(height: number | null): void {
    this.benchSet = Math.round(Math.max(160, Math.min(560, height ?? DEFAULT_BENCH)));
    this.benchAsked = 0;
    if (height === null) localStorage.removeItem("bench");
    else localStorage.setItem("bench", String(this.benchSet));
  }

  /** How high the bench is: as it was set, and higher where the chosen card would not show all of its fields. */
  get benchHeight(): number {
    const shelf = this.shelf ? Math.min(SHELF, Math.round(window.innerHeight * 0.42)) : 0;
    return Math.max(this.benchSet, this.benchAsked, shelf);
  }

  /** Lets the bench grow for the chosen card, to less than a half of the window. width: of all cards, in pixels. */
  growBench(slips: Slip[], chosen: string, width: number, resting: boolean): void {
    const slip = slips.find((one) => one.id === chosen);
    if (!slip || width <= 0) return;
    const spines = slips.filter((one) => one !== slip && !one.rests).length + (resting ? 1 : 0);
    const asked = heightOf(slip, width - spines * SPINE) + BENCH_EDGES;
    // what is drawn is of no use where it has to be scrolled to
    const most = (slip.tallest ?? 1) > 1 ? 0.44 : 0.38;
    this.benchAsked = Math.min(asked, Math.round(window.innerHeight * most));
  }

  /** Where values are read now. */
  get env(): Env {
    return this.at(this.playback.frame);
  }

  /** Where values are read on a frame. */
  at(time: number): Env {
    const { width, height } = this.shot.about.plate;
    return {
      time,
      fps: this.playback.fps,
      moved: (riding) => this.motions.at(riding, time),
      middle: [width! / 2, height! / 2],
    };
  }

  /** Why following halted on the frame that is seen, where it did. */
  get halt() {
    const here = this.shot.frame(this.selection.followed, this.playback.seen);
    const shown = this.tools.marking || this.selection.track;
    return shown && here?.origin === "followed" ? here.halt : null;
  }

  /** Names footage of the project in a field of the document, which knows it from then on; `named`: what else names it there. */
  useFootage(footage: FootageOut, path: string, label: string, named?: unknown): void {
    const id = String(footage.id);
    const add = known(this.shot.doc, entryOf(footage));
    this.shot.edit([...add, { op: "add", path, value: named ?? id }], label);
  }

  /** The frames on which the audit found somebody exposed. */
  get exposed(): Set<number> {
    return exposedFrames(this.shot.last("audit"));
  }

  /** What the server tells: of the open document, and of what lies in it. */
  told(event: Event): void {
    this.shot.told(event);
    this.inside.told(event);
  }

  /** Whether there is such a room: people and cuts are of a plate, and a reel has none. */
  hasRoom(slide: Slide): boolean {
    return !this.shot.reel || (slide !== "people" && slide !== "cuts");
  }

  toggleSlide(slide: Slide): void {
    if (!this.hasRoom(slide)) return;
    this.slide = this.slide === slide ? "none" : slide;
  }

  /** On how many frames of the range there is something of a trace or a track, and how many the range has. */
  reached(owner: string): [number, number] {
    const [first, last] = this.shot.range;
    const have = [...this.shot.framesOf(owner).keys()].filter((f) => this.shot.inRange(f)).length;
    return [have, last - first + 1];
  }

  /** The same in words. */
  reach(owner: string): string {
    const [have, all] = this.reached(owner);
    return have >= all ? "all" : `${have} of ${all}`;
  }

  /** The frames of the range that are in doubt, of a trace or a track. */
  doubtful(owner: string | undefined): number[] {
    return [...this.shot.framesOf(owner).values()]
      .filter((f) => f.doubt > DOUBTFUL && this.shot.inRange(f.frame))
      .map((f) => f.frame);
  }

  /** The number of them. */
  doubts(owner: string | undefined): number {
    return this.doubtful(owner).length;
  }

  /** Goes to the next or previous frame that is in doubt, touched, or that a check points out; wraps around. */
  problem(step: 1 | -1): void {
    const stored = [...this.shot.framesOf(this.selection.followed).values()]
      .filter((f) => f.origin === "touched" || f.doubt > DOUBTFUL)
      .map((f) => f.frame);
    const checked = [...this.checks.found.values()]
      .filter((c) => c.problems.length)
      .map((c) => c.frame);
    const rows = [...new Set([...stored, ...checked, ...this.exposed])]
      .filter((frame) => this.shot.inRange(frame))
      .sort((a, b) => a - b);
    if (!rows.length) return;
    const here = this.playback.frame;
    const next =
      step > 0
        ? (rows.find((f) => f > here) ?? rows[0])
        : (rows.findLast((f) => f < here) ?? rows.at(-1)!);
    this.playback.go(next);
  }
}
