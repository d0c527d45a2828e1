import type {
  CatalogueOut,
  ChecksOut,
  CleanPlateRequest,
  ClipsOut,
  CostsOut,
  DeedOut,
  DeedRequest,
  EditOut,
  FramesOut,
  JobOut,
  KeysOut,
  NamedOut,
  ProjectList,
  ProjectOut,
  SampleOut,
  SettledOut,
  ShotOut,
  SpaceOut,
  SpreadOut,
  SuggestOut,
  TrashedOut,
  TrashOut,
  TriesOut,
  Uploaded,
  VersionOut,
  VersionsOut,
} from "./api-types";

export type Op = { op: string; path: string; value?: unknown; from?: string };

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
}

async function ask<T>(method: string, path: string, body?: unknown): Promise<T> {
  let answer: Response;
  try {
    answer = await fetch(path, {
      method,
      headers: body === undefined ? {} : { "Content-Type": "application/json" },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
  } catch {
    throw new Problem(0, "The server can't be reached.", "Changes wait until it is back.", {});
  }
  if (answer.status === 204) return undefined as T;
  const data = await answer.json().catch(() => ({}));
  if (!answer.ok) {
    throw new Problem(
      answer.status,
      data.title ?? `The server answered ${answer.status}.`,
      data.detail ?? "",
      data,
    );
  }
  return data as T;
}

/** The version that a picture is asked of, where it is not how the shot stands now. */
const of = (version: number | null) => (version === null ? "" : `&version=${version}`);

export const api = {
  catalogue: () => ask<CatalogueOut>("GET", "/api/catalogue"),
  projects: () => ask<ProjectList>("GET", "/api/projects"),
  project: (id: number) => ask<ProjectOut>("GET", `/api/projects/${id}`),
  newProject: (name: string) => ask<ProjectOut>("POST", "/api/projects", { name }),
  newShot: (project: number, name: string, footage: number) =>
    ask<ShotOut>("POST", `/api/projects/${project}/shots`, { name, footage }),
  shot: (id: number) => ask<ShotOut>("GET", `/api/shots/${id}`),
  frames: (id: number) => ask<FramesOut>("GET", `/api/shots/${id}/frames`),
  deed: (id: number, deed: DeedRequest) => ask<DeedOut>("POST", `/api/shots/${id}/deeds`, deed),
  copied: (id: number, places: string[], first: number, last: number) =>
    ask<ClipsOut>("POST", `/api/shots/${id}/copied`, { places, first, last }),
  costs: (id: number, frame: number, width: number) =>
    ask<CostsOut>("GET", `/api/shots/${id}/costs?frame=${frame}&width=${width}`),
  edit: (id: number, revision: number, ops: Op[], label: string, gesture: string | null) =>
    ask<EditOut>("POST", `/api/shots/${id}/edits`, { revision, ops, label, gesture }),
  undo: (id: number) => ask<EditOut>("POST", `/api/shots/${id}/undo`),
  redo: (id: number) => ask<EditOut>("POST", `/api/shots/${id}/redo`),
  ready: (id: number, frame: number) => ask<void>("POST", `/api/shots/${id}/ready?frame=${frame}`),
  keys: (
    id: number,
    view: string,
    first: number,
    last: number,
    width: number,
    version: number | null = null,
  ) =>
    ask<KeysOut>(
      "GET",
      `/api/shots/${id}/keys?view=${encodeURIComponent(view)}&first=${first}&last=${last}&width=${width}${of(version)}`,
    ),
  checks: (id: number, matte: string, first: number, last: number) =>
    ask<ChecksOut>("GET", `/api/shots/${id}/checks?matte=${matte}&first=${first}&last=${last}`),
  sample: (
    id: number,
    frame: number,
    box: number[],
    to: { pull: string; how: "add" | "take" } | null = null,
  ) =>
    ask<SampleOut>(
      "GET",
      `/api/shots/${id}/sample?frame=${frame}&x0=${box[0]}&y0=${box[1]}&x1=${box[2]}&y1=${box[3]}` +
        (to ? `&pull=${to.pull}&how=${to.how}` : ""),
    ),
  spread: (id: number, frame: number) =>
    ask<SpreadOut>("GET", `/api/shots/${id}/spread?frame=${frame}`),
  suggest: (id: number, pull: string, frame: number) =>
    ask<SuggestOut>("GET", `/api/shots/${id}/suggest?pull=${pull}&frame=${frame}`),
  cleanPlate: (id: number, wanted: CleanPlateRequest) =>
    ask<JobOut>("POST", `/api/shots/${id}/clean-plate`, wanted),
  tries: (id: number, target: string, frame: number, width: number) =>
    ask<TriesOut>(
      "GET",
      `/api/shots/${id}/tries?target=${encodeURIComponent(target)}&frame=${frame}&width=${width}`,
    ),
  picture: (
    id: number,
    key: string,
    view: string,
    frame: number,
    width: number,
    version: number | null = null,
  ) =>
    `/api/shots/${id}/picture/${key}?view=${encodeURIComponent(view)}&frame=${frame}&width=${width}${of(version)}`,
  follow: (id: number, pull: string, start: number, step: 1 | -1, keep = false) =>
    ask<JobOut>("POST", `/api/shots/${id}/follow`, { pull, start, step, keep }),
  settle: (id: number, matte: string) => ask<JobOut>("POST", `/api/shots/${id}/settle`, { matte }),
  settled: (id: number) => ask<SettledOut>("GET", `/api/shots/${id}/settled`),
  newExport: (
    id: number,
    kind: string,
    target: string | null,
    first: number,
    last: number | null,
  ) => ask<JobOut>("POST", `/api/shots/${id}/exports`, { kind, target, first, last }),
  versions: (id: number) => ask<VersionsOut>("GET", `/api/shots/${id}/versions`),
  keepVersion: (id: number, name: string) =>
    ask<VersionOut>("POST", `/api/shots/${id}/versions`, { name }),
  forgetVersion: (id: number, version: number) =>
    ask<VersionOut>("DELETE", `/api/shots/${id}/versions/${version}`),
  goBack: (id: number, version: number) =>
    ask<EditOut>("POST", `/api/shots/${id}/versions/${version}/back`),
  rename: (things: string, id: number, name: string) =>
    ask<NamedOut>("POST", `/api/${things}/${id}/name`, { name }),
  copy: (things: string, id: number) => ask<NamedOut>("POST", `/api/${things}/${id}/copy`),
  putAway: (things: string, id: number) => ask<TrashedOut>("DELETE", `/api/${things}/${id}`),
  deleteForGood: (things: string, id: number) =>
    ask<TrashedOut>("DELETE", `/api/${things}/${id}?for_good=true`),
  restore: (things: string, id: number) => ask<TrashedOut>("POST", `/api/${things}/${id}/restore`),
  trash: () => ask<TrashOut>("GET", "/api/trash"),
  space: (project: number) => ask<SpaceOut>("GET", `/api/projects/${project}/space`),
  stop: (job: number) => ask<JobOut>("POST", `/api/jobs/${job}/stop`),
  again: (job: number) => ask<JobOut>("POST", `/api/jobs/${job}/again`),
};

/** Sends files with progress; `told` gets a share from 0 to 1. Returns the answer and a way to give up. */
export function upload(
  project: number,
  files: File[],
  told: (share: number) => void,
): { done: Promise<Uploaded>; stop: () => void } {
  const request = new XMLHttpRequest();
  const done = new Promise<Uploaded>((resolve, reject) => {
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
      if (request.status < 300) resolve(data as unknown as Uploaded);
      else
        reject(
          new Problem(
            request.status,
            String(data.title ?? `The server answered ${request.status}.`),
            String(data.detail ?? ""),
            data,
          ),
        );
    };
    request.open("POST", `/api/projects/${project}/footage`);
    request.send(form);
  });
  return { done, stop: () => request.abort() };
}
