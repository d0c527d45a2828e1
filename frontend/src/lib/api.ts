import createClient from "openapi-fetch";

import type {
  AnyTarget,
  AnyView,
  AuditRequest,
  CleanPlateRequest,
  CoverRequest,
  DeedRequest,
  ExportRequest,
  Laying,
  LineUpRequest,
  LayLook,
  NewLook,
  RideDeed,
  Riding,
  Settings,
  SwapRequest,
  TakeRequest,
  TimelineFile,
  TrackRequest,
  JobOut,
  Uploaded,
  paths,
} from "./api-types";

/** What is asked of an export, and what a preset keeps of it. */
export type ExportSettings = Settings;
export type Op = { op: string; path: string; value?: unknown; from?: string };

/** A view as an address and a key hold it. */
export const viewText = (view: AnyView): string => JSON.stringify(view);

/** A fault that the server put into words. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    readonly detail: string,
    readonly body: Record<string, unknown>,
  ) {
    super(detail ? `${title} ${detail}` : title);
  }

  static of(status: number, told: unknown): Problem {
    const body = (typeof told === "object" && told !== null ? told : {}) as Record<string, unknown>;
    return new Problem(
      status,
      String(body.title ?? `The server answered ${status}.`),
      String(body.detail ?? ""),
      body,
    );
  }
}

const client = createClient<paths>({ baseUrl: globalThis.location?.origin ?? "" });

/** What was answered; a fault becomes a Problem. */
async function got<T>(
  asked: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  const { data, error, response } = await asked.catch(() => {
    throw new Problem(0, "The server can't be reached.", "Changes wait until it is back.", {});
  });
  if (!response.ok) throw Problem.of(response.status, error);
  return data as T;
}

/** What can be renamed, copied and put into the trash. */
export type Things = "projects" | "shots" | "footage" | "jobs";

/** The version that a picture is asked of, where it is not how the shot stands now. */
const of = (version: number | null) => (version === null ? {} : { version });

export const api = {
  catalogue: () => got(client.GET("/api/catalogue")),
  projects: () => got(client.GET("/api/projects")),
  project: (id: number) => got(client.GET("/api/projects/{id}", { params: { path: { id } } })),
  newProject: (name: string) => got(client.POST("/api/projects", { body: { name } })),
  newShot: (id: number, name: string, footage: number) =>
    got(
      client.POST("/api/projects/{id}/shots", {
        params: { path: { id } },
        body: { name, footage },
      }),
    ),
  newReel: (id: number, name: string, shots: number[]) =>
    got(
      client.POST("/api/projects/{id}/reels", { params: { path: { id } }, body: { name, shots } }),
    ),
  /** What a document has to know of a shot that is laid in; of footage a bare shot is made first. */
  laying: (id: number, body: Laying) =>
    got(client.POST("/api/projects/{id}/laying", { params: { path: { id } }, body })),
  inside: (id: number) => got(client.GET("/api/shots/{id}/inside", { params: { path: { id } } })),
  timeline: (id: number, kind: "otio" | "edl") => `/api/shots/${id}/timeline.${kind}`,
  lookAtTimeline: (id: number, body: TimelineFile) =>
    got(client.POST("/api/projects/{id}/timelines/look", { params: { path: { id } }, body })),
  readTimeline: (id: number, body: TimelineFile) =>
    got(client.POST("/api/projects/{id}/timelines", { params: { path: { id } }, body })),
  shot: (id: number) => got(client.GET("/api/shots/{id}", { params: { path: { id } } })),
  frames: (id: number) => got(client.GET("/api/shots/{id}/frames", { params: { path: { id } } })),
  deed: (id: number, body: DeedRequest) =>
    got(client.POST("/api/shots/{id}/deeds", { params: { path: { id } }, body })),
  copied: (id: number, places: string[], first: number, last: number) =>
    got(
      client.POST("/api/shots/{id}/copied", {
        params: { path: { id } },
        body: { places, first, last },
      }),
    ),
  costs: (id: number, frame: number, width: number) =>
    got(client.GET("/api/shots/{id}/costs", { params: { path: { id }, query: { frame, width } } })),
  edit: (
    id: number,
    revision: number,
    ops: Op[],
    label: string,
    gesture: string | null,
    frame: number | null,
  ) =>
    got(
      client.POST("/api/shots/{id}/edits", {
        params: { path: { id } },
        body: { revision, ops, label, gesture, frame },
      }),
    ),
  undo: (id: number) => got(client.POST("/api/shots/{id}/undo", { params: { path: { id } } })),
  redo: (id: number) => got(client.POST("/api/shots/{id}/redo", { params: { path: { id } } })),
  ready: (id: number, frame: number) =>
    got(client.POST("/api/shots/{id}/ready", { params: { path: { id }, query: { frame } } })),
  keys: (
    id: number,
    view: AnyView,
    first: number,
    last: number,
    width: number,
    version: number | null = null,
  ) =>
    got(
      client.GET("/api/shots/{id}/keys", {
        params: {
          path: { id },
          query: { view: viewText(view), first, last, width, ...of(version) },
        },
      }),
    ),
  checks: (id: number, of: { matte: string } | { take: string }, first: number, last: number) =>
    got(
      client.GET("/api/shots/{id}/checks", {
        params: { path: { id }, query: { ...of, first, last } },
      }),
    ),
  sample: (
    id: number,
    frame: number,
    [x0, y0, x1, y1]: [number, number, number, number],
    to: { pull: string; how: "add" | "take" } | null = null,
  ) =>
    got(
      client.GET("/api/shots/{id}/sample", {
        params: { path: { id }, query: { frame, x0, y0, x1, y1, ...to } },
      }),
    ),
  spread: (id: number, frame: number) =>
    got(client.GET("/api/shots/{id}/spread", { params: { path: { id }, query: { frame } } })),
  suggest: (id: number, pull: string, frame: number) =>
    got(
      client.GET("/api/shots/{id}/suggest", { params: { path: { id }, query: { pull, frame } } }),
    ),
  cdl: (id: number, step: string, frame: number) =>
    `/api/shots/${id}/treatments/${step}/cdl?frame=${frame}`,
  paces: (id: number, plane: string) =>
    got(client.GET("/api/shots/{id}/planes/{plane}/paces", { params: { path: { id, plane } } })),
  lineUp: (id: number, plane: string, body: LineUpRequest) =>
    got(
      client.POST("/api/shots/{id}/planes/{plane}/line-up", {
        params: { path: { id, plane } },
        body,
      }),
    ),
  matchTone: (id: number, plane: string, body: TakeRequest) =>
    got(
      client.POST("/api/shots/{id}/planes/{plane}/tone", { params: { path: { id, plane } }, body }),
    ),
  change: (id: number, plane: string, frame: number) =>
    got(
      client.GET("/api/shots/{id}/planes/{plane}/change", {
        params: { path: { id, plane }, query: { frame } },
      }),
    ),
  readCdl: (text: string) => got(client.POST("/api/cdl", { body: { text } })),
  grain: (id: number, frame: number) =>
    got(client.GET("/api/shots/{id}/grain", { params: { path: { id }, query: { frame } } })),
  track: (id: number, body: TrackRequest) =>
    got(client.POST("/api/shots/{id}/track", { params: { path: { id } }, body })),
  trackPath: (id: number, track: string) =>
    got(client.GET("/api/shots/{id}/tracks/{track}/path", { params: { path: { id, track } } })),
  scene: (id: number, track: string) =>
    got(client.GET("/api/shots/{id}/tracks/{track}/scene", { params: { path: { id, track } } })),
  placeInScene: (id: number, track: string, frame: number, [x, y]: [number, number]) =>
    got(
      client.POST("/api/shots/{id}/tracks/{track}/place", {
        params: { path: { id, track } },
        body: { frame, x, y },
      }),
    ),
  giveScene: (id: number, track: string, text: string) =>
    got(
      client.POST("/api/shots/{id}/tracks/{track}/scene", {
        params: { path: { id, track } },
        body: { text },
      }),
    ),
  sceneFile: (id: number, track: string, form: "gltf" | "ply") =>
    `/api/shots/${id}/tracks/${track}/scene.${form}`,
  features: (id: number, track: string, frame: number) =>
    got(
      client.GET("/api/shots/{id}/tracks/{track}/features", {
        params: { path: { id, track }, query: { frame } },
      }),
    ),
  trackLook: (id: number, track: string, frame: number, of: string) =>
    `/api/shots/${id}/tracks/${track}/look.jpg?frame=${frame}&of=${encodeURIComponent(of)}`,
  people: (id: number) => got(client.POST("/api/shots/{id}/people", { params: { path: { id } } })),
  audit: (id: number, body: AuditRequest) =>
    got(client.POST("/api/shots/{id}/audit", { params: { path: { id } }, body })),
  auditStanding: (id: number) =>
    got(client.GET("/api/shots/{id}/audit", { params: { path: { id } } })),
  cover: (id: number, body: CoverRequest) =>
    got(client.POST("/api/shots/{id}/cover", { params: { path: { id } }, body })),
  accept: (job: number, finding: number, reason: string) =>
    got(
      client.POST("/api/jobs/{id}/accept", {
        params: { path: { id: job } },
        body: { finding, reason },
      }),
    ),
  portrait: (job: number, place: number) => `/api/jobs/${job}/people/${place}.jpg`,
  report: (job: number, form: "html" | "json") => `/api/jobs/${job}/report.${form}`,
  motions: (id: number, rides: Riding[]) =>
    got(client.POST("/api/shots/{id}/motions", { params: { path: { id } }, body: { rides } })),
  ride: (id: number, body: RideDeed) =>
    got(client.POST("/api/shots/{id}/rides", { params: { path: { id } }, body })),
  looks: () => got(client.GET("/api/looks")),
  newLook: (body: NewLook) => got(client.POST("/api/looks", { body })),
  readLook: (text: string) => got(client.POST("/api/looks/file", { body: { text } })),
  lookFile: (look: string) => `/api/looks/${look}/file`,
  renameLook: (look: string, name: string) =>
    got(client.POST("/api/looks/{look}/name", { params: { path: { look } }, body: { name } })),
  deleteLook: (look: string) =>
    got(client.DELETE("/api/looks/{look}", { params: { path: { look } } })),
  suited: (id: number, body: LayLook) =>
    got(client.POST("/api/shots/{id}/suited", { params: { path: { id } }, body })),
  layLook: (id: number, body: LayLook) =>
    got(client.POST("/api/shots/{id}/look", { params: { path: { id } }, body })),
  swap: (id: number, body: SwapRequest) =>
    got(client.POST("/api/shots/{id}/plate", { params: { path: { id } }, body })),
  cleanPlate: (id: number, body: CleanPlateRequest) =>
    got(client.POST("/api/shots/{id}/clean-plate", { params: { path: { id } }, body })),
  tries: (id: number, on: AnyTarget, frame: number, width: number) =>
    got(
      client.GET("/api/shots/{id}/tries", {
        params: { path: { id }, query: { target: JSON.stringify(on), frame, width } },
      }),
    ),
  picture: (
    id: number,
    key: string,
    view: AnyView,
    frame: number,
    width: number,
    version: number | null = null,
  ) =>
    `/api/shots/${id}/picture/${key}?` +
    new URLSearchParams({
      view: viewText(view),
      frame: String(frame),
      width: String(width),
      ...(version === null ? {} : { version: String(version) }),
    }),
  follow: (id: number, pull: string, start: number, step: 1 | -1, keep = false, whole = false) =>
    got(
      client.POST("/api/shots/{id}/follow", {
        params: { path: { id } },
        body: { pull, start, step, keep, whole },
      }),
    ),
  settle: (id: number, matte: string) =>
    got(client.POST("/api/shots/{id}/settle", { params: { path: { id } }, body: { matte } })),
  settled: (id: number) => got(client.GET("/api/shots/{id}/settled", { params: { path: { id } } })),
  newExport: (id: number, body: ExportRequest) =>
    got(client.POST("/api/shots/{id}/exports", { params: { path: { id } }, body })),
  estimate: (id: number, body: ExportRequest) =>
    got(client.POST("/api/shots/{id}/exports/estimate", { params: { path: { id } }, body })),
  presets: () => got(client.GET("/api/presets")),
  newPreset: (name: string, settings: ExportSettings) =>
    got(client.POST("/api/presets", { body: { name, settings } })),
  deletePreset: (id: number) =>
    got(client.DELETE("/api/presets/{id}", { params: { path: { id } } })),
  sound: (id: number) => got(client.GET("/api/shots/{id}/sound", { params: { path: { id } } })),
  peaks: (id: number, key: string) =>
    got(client.GET("/api/shots/{id}/sound/{key}/peaks", { params: { path: { id, key } } })),
  piece: (id: number, key: string, piece: number) => `/api/shots/${id}/sound/${key}/${piece}.wav`,
  cuts: (id: number) => got(client.POST("/api/shots/{id}/cuts", { params: { path: { id } } })),
  pieces: (id: number) => got(client.POST("/api/shots/{id}/pieces", { params: { path: { id } } })),
  colour: () => got(client.GET("/api/colour")),
  reading: (footage: number, hand: Record<string, string>) =>
    got(
      client.POST("/api/footage/{id}/reading", {
        params: { path: { id: footage } },
        body: { hand },
      }),
    ),
  versions: (id: number) =>
    got(client.GET("/api/shots/{id}/versions", { params: { path: { id } } })),
  keepVersion: (id: number, name: string, frame: number) =>
    got(
      client.POST("/api/shots/{id}/versions", {
        params: { path: { id } },
        body: { name, frame },
      }),
    ),
  forgetVersion: (id: number, version: number) =>
    got(client.DELETE("/api/shots/{id}/versions/{version}", { params: { path: { id, version } } })),
  goBack: (id: number, version: number) =>
    got(
      client.POST("/api/shots/{id}/versions/{version}/back", {
        params: { path: { id, version } },
      }),
    ),
  rename: (things: Things, id: number, name: string) =>
    got(
      client.POST("/api/{things}/{id}/name", { params: { path: { things, id } }, body: { name } }),
    ),
  copy: (things: Things, id: number) =>
    got(client.POST("/api/{things}/{id}/copy", { params: { path: { things, id } } })),
  putAway: (things: Things, id: number) =>
    got(client.DELETE("/api/{things}/{id}", { params: { path: { things, id } } })),
  deleteForGood: (things: Things, id: number) =>
    got(
      client.DELETE("/api/{things}/{id}", {
        params: { path: { things, id }, query: { for_good: true } },
      }),
    ),
  restore: (things: Things, id: number) =>
    got(client.POST("/api/{things}/{id}/restore", { params: { path: { things, id } } })),
  trash: () => got(client.GET("/api/trash")),
  space: (id: number) => got(client.GET("/api/projects/{id}/space", { params: { path: { id } } })),
  pack: (id: number) => got(client.POST("/api/projects/{id}/pack", { params: { path: { id } } })),
  health: () => got(client.GET("/api/health")),
  stop: (id: number) => got(client.POST("/api/jobs/{id}/stop", { params: { path: { id } } })),
  again: (id: number) => got(client.POST("/api/jobs/{id}/again", { params: { path: { id } } })),
};

/** Sends files with progress; `told` gets a share from 0 to 1. Returns the answer and a way to give up. */
function send<Answer>(
  path: string,
  files: File[],
  told: (share: number) => void,
): { done: Promise<Answer>; stop: () => void } {
  const request = new XMLHttpRequest();
  const done = new Promise<Answer>((resolve, reject) => {
    const form = new FormData();
    for (const file of files) form.append("file", file, file.name);
    request.upload.onprogress = (event) =>
      event.lengthComputable && told(event.loaded / event.total);
    request.onerror = () =>
      reject(new Problem(0, "The upload broke off.", "Drop the file again.", {}));
    request.onabort = () => reject(new Problem(0, "The upload was stopped.", "", {}));
    request.onload = () => {
      let data: Record<string, unknown> = {};
      try {
        data = JSON.parse(request.responseText);
      } catch {
        // an answer without JSON is told by its status below
      }
      if (request.status < 300) resolve(data as unknown as Answer);
      else reject(Problem.of(request.status, data));
    };
    request.open("POST", path);
    request.send(form);
  });
  return { done, stop: () => request.abort() };
}

/** Brings footage into a project. */
export const upload = (project: number, files: File[], told: (share: number) => void) =>
  send<Uploaded>(`/api/projects/${project}/footage`, files, told);

/** Brings a packed project in, as a new one. */
export const bringIn = (file: File, told: (share: number) => void) =>
  send<JobOut>("/api/packed", [file], told);
