/** The queue of edits: what is done here reaches the server in order, once, and nothing of it is lost. */
import { beforeEach, expect, test, vi } from "vitest";
import type { EditOut, ShotOut } from "./api-types";
import { api, Problem, type Op } from "./api";
import { notes } from "./notes.svelte";
import { ShotStore } from "./shot.svelte";

type Sent = {
  revision: number;
  ops: Op[];
  gesture: string | null;
  answer: () => void;
  refuse: (e: Error) => void;
};

let sent: Sent[] = [];
let server: { name: string; revision: number };

const document = (name: string) =>
  ({
    name,
    mattes: [],
    planes: [],
    tracks: [],
    footage: [],
    range: {},
  }) as unknown as ShotOut["document"];

function answered(revision: number, ops: Op[]): EditOut {
  server = { name: String(ops.at(-1)?.value ?? server.name), revision };
  return {
    base: revision - 1,
    revision,
    ops,
    history: { undo: "rename", redo: null },
    touched: [],
    uses: [],
  } as unknown as EditOut;
}

beforeEach(() => {
  vi.restoreAllMocks();
  vi.useRealTimers();
  sent = [];
  notes.list = [];
  server = { name: "Shot", revision: 0 };
  vi.spyOn(api, "catalogue").mockResolvedValue({ declared: [], exports: [] } as never);
  vi.spyOn(api, "shot").mockImplementation(() =>
    Promise.resolve({
      id: 1,
      document: document(server.name),
      revision: server.revision,
      history: { undo: null, redo: null },
      jobs: [],
      uses: [],
      frames: [],
      plate: { frames: 10 },
    } as unknown as ShotOut),
  );
  vi.spyOn(api, "edit").mockImplementation(
    (_id, revision, ops, _label, gesture) =>
      new Promise((resolve, reject) =>
        sent.push({
          revision,
          ops,
          gesture,
          answer: () => resolve(answered(revision + 1, ops)),
          refuse: reject,
        }),
      ),
  );
});

function opened(): Promise<ShotStore> {
  return ShotStore.open(1);
}

const rename = (name: string): Op[] => [{ op: "replace", path: "/name", value: name }];
const soon = () => new Promise((done) => setTimeout(done));

test("an edit is seen at once and sent one after another, each on what came before", async () => {
  const shot = await opened();
  shot.edit(rename("One"), "rename");
  shot.edit(rename("Two"), "rename");
  expect(shot.doc.name).toBe("Two");
  expect(sent.map((one) => one.revision)).toEqual([0]);
  sent[0].answer();
  await soon();
  expect(shot.doc.name).toBe("Two");
  expect(sent.map((one) => one.revision)).toEqual([0, 1]);
  sent[1].answer();
  await soon();
  expect([shot.saving, server.name]).toEqual([false, "Two"]);
});

test("steps of one gesture that wait are sent as one, and what is on its way is never changed", async () => {
  const shot = await opened();
  for (const name of ["a", "ab", "abc", "abcd"]) shot.edit(rename(name), "rename", "typing");
  expect(sent.map((one) => one.ops[0].value)).toEqual(["a"]);
  sent[0].answer();
  await soon();
  expect(sent.map((one) => one.ops[0].value)).toEqual(["a", "abcd"]);
});

test("a lost connection loses nothing: the edit is sent again until it is answered", async () => {
  vi.useFakeTimers();
  const shot = await opened();
  shot.edit(rename("Kept"), "rename");
  sent[0].refuse(new Problem(0, "The server can't be reached.", "", {}));
  await vi.advanceTimersByTimeAsync(10);
  expect([shot.online, shot.doc.name]).toEqual([false, "Kept"]);
  await vi.advanceTimersByTimeAsync(1000);
  expect(sent).toHaveLength(2);
  sent[1].answer();
  await vi.advanceTimersByTimeAsync(1);
  expect([shot.online, server.name]).toEqual([true, "Kept"]);
});

test("a refused edit is told, and the shot is again as the server has it", async () => {
  const shot = await opened();
  shot.edit(rename("Wrong"), "rename");
  shot.edit(rename("After it"), "rename");
  sent[0].refuse(new Problem(422, "That name is taken.", "", {}));
  await soon();
  expect(shot.doc.name).toBe("Shot");
  expect(notes.list.map((note) => note.text)).toEqual([
    "That name is taken.",
    "1 more change rested on that one.",
  ]);
  expect(sent).toHaveLength(1);
});

test("a refused edit takes none with it that does not rest on it", async () => {
  const shot = await opened();
  const range = (n: number): Op[] => [{ op: "add", path: "/range/first", value: n }];
  shot.edit([{ op: "add", path: "/planes/0", value: { id: "p" } }], "plane");
  shot.edit([{ op: "add", path: "/planes/0/name", value: "Mine" }], "name");
  shot.edit(range(3), "range");
  sent[0].refuse(new Problem(409, "The shot has changed there.", "", {}));
  await soon();
  // on the revision that it was made on: the server holds it against what has changed since
  expect(sent.map((one) => [one.revision, one.ops])).toEqual([
    [0, sent[0].ops],
    [0, range(3)],
  ]);
  sent[1].answer();
  await soon();
  expect(notes.list).toHaveLength(2);
  expect(shot.doc.planes).toEqual([]);
});

test("a shot that is fetched while an edit is on its way has that edit once", async () => {
  const shot = await opened();
  const track: Op[] = [{ op: "add", path: "/tracks/-", value: { id: "t" } }];
  let came = () => {};
  const slow = vi.spyOn(api, "shot").mockImplementationOnce(
    () =>
      new Promise((resolve) => {
        const now = { document: { ...document("Shot"), tracks: [{ id: "t" }] }, revision: 1 };
        came = () => resolve({ ...now, history: {}, jobs: [], uses: [], frames: [] } as never);
      }),
  );
  shot.look();
  shot.edit(track, "track");
  came();
  await soon();
  expect(shot.doc.tracks).toEqual([{ id: "t" }]);
  sent[0].answer();
  await soon();
  expect(slow).toHaveBeenCalledTimes(3);
  expect(shot.doc.tracks.length).toBeLessThan(2);
});

test("what is told while an edit is on its way is fetched after it", async () => {
  const shot = await opened();
  shot.edit(rename("Mine"), "rename");
  shot.told({ event: "shot", shot: 1, revision: 5 } as never);
  await soon();
  expect(api.shot).toHaveBeenCalledTimes(1);
  sent[0].answer();
  await soon();
  expect(api.shot).toHaveBeenCalledTimes(2);
});

test("undo that is pressed while an edit is on its way happens right after it", async () => {
  const shot = await opened();
  const undo = vi
    .spyOn(api, "undo")
    .mockImplementation(() => Promise.resolve(answered(server.revision + 1, rename("Shot"))));
  shot.edit(rename("New"), "rename");
  void shot.step("undo");
  expect(undo).not.toHaveBeenCalled();
  sent[0].answer();
  await soon();
  expect(undo).toHaveBeenCalledOnce();
  expect(shot.doc.name).toBe("Shot");
});

test("another window's edits before ours come with the answer", async () => {
  const shot = await opened();
  shot.edit(rename("Mine"), "rename");
  const theirs: Op = { op: "add", path: "/tracks/-", value: { id: "t" } };
  vi.spyOn(api, "edit").mockImplementation(() => new Promise(() => {}));
  sent[0].ops.unshift(theirs);
  sent[0].answer();
  await soon();
  expect(shot.doc.tracks).toEqual([{ id: "t" }]);
  expect(shot.doc.name).toBe("Mine");
});
