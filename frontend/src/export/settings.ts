/** The settings of an export: what they begin as, and what fits together. */
import type { ExportSettings } from "../lib/api";
import type { HowOut, Shot } from "../lib/api-types";
import type { Desk } from "../desk/desk.svelte";

export const RATES = [12, 23.976, 24, 25, 29.97, 30, 50, 59.94, 60];
export const LINES = [2160, 1440, 1080, 720, 540, 360];
export const PATTERN = "{shot}_{of}_{what}_{alpha}";

export function begun(): ExportSettings {
  return {
    what: "result",
    how: "h264",
    alpha: "none",
    targets: [],
    quality: "good",
    lines: null,
    rate: null,
    colour: "",
    sound: true,
    every: 12,
    name: PATTERN,
  };
}

/** All that can be a layer: planes but for glazes, which have no picture of their own, and mattes. */
export function layersOf(doc: Shot): { id: string; name: string }[] {
  return [
    ...doc.planes
      .filter((one) => one.kind !== "glaze")
      .map((one) => ({ id: `plane:${one.id}`, name: one.name })),
    ...doc.mattes.map((one) => ({ id: `matte:${one.id}`, name: `${one.name}, matte` })),
  ];
}

/** The settings with what does not go together brought to what does. */
export function fitting(settings: ExportSettings, desk: Desk, hows: HowOut[]): ExportSettings {
  const out = { ...settings, name: settings.name || PATTERN };
  const doc = desk.shot.doc;
  const here: Record<string, string[]> = {
    matte: doc.mattes.map((one) => one.id),
    cutout: doc.mattes.map((one) => one.id),
    plane: doc.planes.map((one) => one.id),
    layers: layersOf(doc).map((one) => one.id),
    result: [],
  };
  const known = here[out.what ?? "result"];
  out.targets = (out.targets ?? []).filter((one) => known.includes(one));
  if (!out.targets.length && out.what !== "result") {
    const selected = [desk.selection.matteId, desk.selection.thing?.id].find(
      (one) => one && known.includes(one),
    );
    out.targets = out.what === "layers" ? known : known.length ? [selected ?? known[0]] : [];
  }
  let how = hows.find((one) => one.kind === out.how) ?? hows[0];
  const wants = out.what === "cutout" || out.what === "plane";
  if (out.what === "layers" && !how.layers) how = hows.find((one) => one.kind === "exr-half")!;
  if (wants && !how.alpha) how = hows.find((one) => one.kind === "prores4444")!;
  out.how = how.kind;
  if (!how.alpha || out.what === "matte") out.alpha = "none";
  else if (out.what !== "result" && out.alpha === "none") out.alpha = "straight";
  return out;
}
