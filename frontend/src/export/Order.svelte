<!-- What is to be written, and how: the settings of an export. -->
<script lang="ts">
  import type { ExportSettings } from "../lib/api";
  import type { Desk } from "../desk/desk.svelte";
  import Segments from "../ui/Segments.svelte";
  import Select from "../ui/Select.svelte";
  import Toggle from "../ui/Toggle.svelte";
  import { colour } from "../lib/colour.svelte";
  import NumberField from "../ui/NumberField.svelte";
  import { fitting, layersOf, LINES, RATES } from "./settings";

  type Props = {
    desk: Desk;
    settings: ExportSettings;
    onset: (settings: ExportSettings) => void;
  };
  /** What can be written of a reel: it has no mattes. */
  const OF_REELS = ["result", "plane", "layers"];
  let { desk, settings, onset }: Props = $props();
  const shot = $derived(desk.shot);
  const catalogue = $derived(shot.catalogue);
  const how = $derived(catalogue.hows.find((one) => one.kind === settings.how)!);
  const targets = $derived(settings.targets ?? []);
  const height = $derived(shot.doc.format.height ?? shot.about.plate.height!);
  const set = (part: Partial<ExportSettings>) =>
    onset(fitting({ ...settings, ...part }, desk, catalogue.hows));
  const light = $derived(how.kind.startsWith("exr"));
  const colours = $derived([
    light
      ? { value: "", label: "light of BT.709", hint: "as it is worked in" }
      : { value: "", label: "as the shot is looked at" },
    ...(light ? [] : [{ value: "plain", label: "sRGB", hint: "whatever the view" }]),
    ...colour.spaces().map((one) => ({ ...one, value: `space:${one.value}` })),
    ...colour.views().map((one) => ({ ...one, value: `view:${one.value}` })),
  ]);
  const alphas = $derived(
    settings.what === "result"
      ? ["none", "straight", "premultiplied"]
      : ["straight", "premultiplied"],
  );
</script>

<div class="grid grid-cols-[72px_minmax(0,1fr)] items-center gap-x-2 gap-y-1.5">
  <span class="text-xs text-quiet">What</span>
  <Select
    name="What"
    value={settings.what ?? "result"}
    options={catalogue.whats
      .filter((one) => !desk.shot.reel || OF_REELS.includes(one.kind))
      .map((one) => ({ value: one.kind, label: one.label }))}
    onpick={(what) => set({ what: what as ExportSettings["what"], targets: [] })}
  />
  {#if settings.what === "cutout" || settings.what === "matte"}
    <span class="text-xs text-quiet">Matte</span>
    <Select
      name="Matte"
      value={targets[0] ?? ""}
      options={shot.doc.mattes.map((one) => ({ value: one.id, label: one.name }))}
      onpick={(id) => set({ targets: [id] })}
    />
  {:else if settings.what === "plane"}
    <span class="text-xs text-quiet">Plane</span>
    <Select
      name="Plane"
      value={targets[0] ?? ""}
      options={shot.doc.planes.map((one) => ({ value: one.id, label: one.name }))}
      onpick={(id) => set({ targets: [id] })}
    />
  {:else if settings.what === "layers"}
    <span class="self-start pt-1 text-xs text-quiet">Layers</span>
    <ul class="max-h-32 overflow-y-auto rounded border border-rule bg-card px-1.5 py-1 text-xs">
      {#each layersOf(shot.doc) as layer (layer.id)}
        <li>
          <label class="flex items-center gap-1.5"
            ><input
              class="accent-ink"
              type="checkbox"
              checked={targets.includes(layer.id)}
              onchange={() =>
                set({
                  targets: targets.includes(layer.id)
                    ? targets.filter((one) => one !== layer.id)
                    : [...targets, layer.id],
                })}
            />
            {layer.name}</label
          >
        </li>
      {/each}
    </ul>
  {/if}
  <span class="text-xs text-quiet">How</span>
  <Select
    name="How"
    value={settings.how ?? "h264"}
    options={catalogue.hows
      .filter((one) => settings.what !== "layers" || one.layers)
      .map((one) => ({ value: one.kind, label: one.label, hint: one.hint }))}
    onpick={(kind) => set({ how: kind })}
  />
  {#if how.alpha && settings.what !== "matte" && !how.kind.startsWith("exr")}
    <span class="text-xs text-quiet">Alpha</span>
    <Segments
      name="Alpha"
      value={settings.alpha ?? "none"}
      options={alphas.map((one) => ({ value: one, label: one }))}
      onpick={(alpha) => set({ alpha: alpha as ExportSettings["alpha"] })}
    />
  {/if}
  {#if settings.what !== "matte"}
    <span class="text-xs text-quiet">Colour</span>
    <Select
      name="Colour"
      value={settings.colour ?? ""}
      options={colours}
      onpick={(next) => set({ colour: next })}
    />
  {/if}
  {#if how.quality}
    <span class="text-xs text-quiet">Quality</span>
    <Segments
      name="Quality"
      value={settings.quality ?? "good"}
      options={["smaller", "good", "best"].map((one) => ({ value: one, label: one }))}
      onpick={(quality) => set({ quality: quality as ExportSettings["quality"] })}
    />
  {/if}
  {#if how.form === "sheet"}
    <span class="text-xs text-quiet">Every</span>
    <NumberField
      name="Every how many-th frame"
      value={settings.every ?? 12}
      low={1}
      high={10000}
      unit="th frame"
      onset={(every) => set({ every })}
    />
  {:else if how.form === "video" || how.form === "loop"}
    <span class="text-xs text-quiet">Rate</span>
    <Select
      name="Rate"
      value={settings.rate == null ? "" : String(settings.rate)}
      options={[
        { value: "", label: `as the shot, ${Math.round(desk.playback.fps * 100) / 100} fps` },
        ...RATES.map((one) => ({
          value: String(one),
          label: `${one} fps`,
          hint: "frames by the clock",
        })),
      ]}
      onpick={(rate) => set({ rate: rate ? Number(rate) : null })}
    />
  {/if}
  <span class="text-xs text-quiet">Size</span>
  <Select
    name="Size"
    value={settings.lines == null ? "" : String(settings.lines)}
    options={[
      { value: "", label: `as the shot, ${height} lines` },
      ...LINES.filter((one) => one < height).map((one) => ({
        value: String(one),
        label: `${one} lines`,
      })),
    ]}
    onpick={(lines) => set({ lines: lines ? Number(lines) : null })}
  />
  {#if how.sound}
    <span class="text-xs text-quiet">Sound</span>
    <div class="flex items-center gap-2 text-xs">
      <Toggle
        name="Sound"
        on={settings.sound ?? true}
        onturn={(sound) => set({ sound })}
      />{#if !desk.playback.heard.there}<span class="text-quiet">this shot has none</span>{/if}
    </div>
  {/if}
  <span class="text-xs text-quiet">Name</span>
  <input
    class="min-h-6 min-w-0 rounded border border-rule bg-card px-1.5 font-mono text-[11.5px]"
    aria-label="Name"
    title={`Parts: ${catalogue.tokens.map((one) => `{${one}}`).join(" ")}`}
    value={settings.name}
    onchange={(e) => set({ name: e.currentTarget.value.trim() || undefined })}
  />
</div>
