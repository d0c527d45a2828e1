<!-- The result of several shots, written with one setting. -->
<script lang="ts">
  import { api, type ExportSettings } from "../lib/api";
  import type { CatalogueOut, PresetOut, ProjectOut, ShotCard } from "../lib/api-types";
  import { notes } from "../lib/notes.svelte";
  import { begun } from "../export/settings";
  import Button from "../ui/Button.svelte";
  import Dialog from "../ui/Dialog.svelte";
  import Segments from "../ui/Segments.svelte";
  import Select from "../ui/Select.svelte";

  type Props = { project: ProjectOut; shots: ShotCard[]; open: boolean; onclose: () => void };
  let { project, shots, open, onclose }: Props = $props();
  let catalogue = $state.raw<CatalogueOut | null>(null);
  let presets = $state.raw<PresetOut[]>([]);
  let settings = $state.raw<ExportSettings>(begun());
  let busy = $state(false);
  const how = $derived(catalogue?.hows.find((one) => one.kind === settings.how));

  $effect(() => {
    if (!open || catalogue) return;
    Promise.all([api.catalogue(), api.presets()])
      .then(([found, kept]) => {
        catalogue = found;
        presets = kept.presets.filter((one) => (one.settings.what ?? "result") === "result");
      })
      .catch(notes.fault);
  });

  async function go() {
    busy = true;
    const refused: string[] = [];
    for (const shot of shots)
      await api
        .newExport(shot.id, { ...settings, first: null, last: null, audited: false })
        .catch((error: Error) => refused.push(`${shot.name}: ${error.message}`));
    busy = false;
    onclose();
    const asked = shots.length - refused.length;
    if (asked)
      notes.add(
        `${asked === 1 ? "1 export is" : `${asked} exports are`} on the way.`,
        "They are written one after another; each is fetched in its shot's exports.",
      );
    for (const sentence of refused) notes.fault(new Error(sentence));
  }
</script>

<Dialog
  title={`Export ${shots.length === 1 ? shots[0].name : `${shots.length} shots of ${project.name}`}`}
  {open}
  {onclose}
  width={460}
>
  <div class="mt-3 grid grid-cols-[90px_1fr] items-center gap-x-3 gap-y-2">
    {#if presets.length}
      <span class="text-quiet">Preset</span>
      <Select
        name="Preset"
        value=""
        placeholder="settings that were kept"
        options={presets.map((one) => ({ value: String(one.id), label: one.name }))}
        onpick={(id) => {
          const kept = presets.find((one) => String(one.id) === id);
          if (kept) settings = { ...begun(), ...kept.settings, targets: [] };
        }}
      />
    {/if}
    <span class="text-quiet">Written as</span>
    <Select
      name="Written as"
      value={settings.how ?? "h264"}
      options={(catalogue?.hows ?? []).map((one) => ({
        value: one.kind,
        label: one.label,
        hint: one.hint,
      }))}
      onpick={(kind) => (settings = { ...settings, how: kind, alpha: "none" })}
    />
    {#if how?.alpha}
      <span class="text-quiet">Alpha</span>
      <Segments
        name="Alpha"
        value={settings.alpha ?? "none"}
        options={["none", "straight", "premultiplied"].map((one) => ({ value: one, label: one }))}
        onpick={(alpha) => (settings = { ...settings, alpha: alpha as ExportSettings["alpha"] })}
      />
    {/if}
    {#if how?.quality}
      <span class="text-quiet">Quality</span>
      <Segments
        name="Quality"
        value={settings.quality ?? "good"}
        options={["smaller", "good", "best"].map((one) => ({ value: one, label: one }))}
        onpick={(quality) =>
          (settings = { ...settings, quality: quality as ExportSettings["quality"] })}
      />
    {/if}
  </div>
  <p class="mt-3 text-quiet">The result of each, over its own range.</p>
  <div class="mt-3 flex gap-2">
    <Button kind="main" onclick={go} disabled={busy || !shots.length || !catalogue}
      >{busy ? "Asking …" : "Start"}</Button
    >
    <Button onclick={onclose}>Cancel</Button>
  </div>
</Dialog>
