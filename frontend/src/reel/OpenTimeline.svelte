<!-- Reads a timeline file: what it holds is shown first, and what of the project stands for its media. -->
<script lang="ts">
  import { api } from "../lib/api";
  import type { ProjectOut, TimelineFile, TimelineOut } from "../lib/api-types";
  import { notes } from "../lib/notes.svelte";
  import Button from "../ui/Button.svelte";
  import Dialog from "../ui/Dialog.svelte";
  import Select from "../ui/Select.svelte";

  let { project, open = $bindable() }: { project: ProjectOut; open: boolean } = $props();
  let file = $state.raw<TimelineFile | null>(null);
  let held = $state.raw<TimelineOut | null>(null);
  let media = $state<Record<string, string>>({});
  let fault = $state("");
  let fps = $state("24");
  const choices = $derived([
    { value: "", label: "a gap" },
    ...project.shots.map((one) => ({ value: `shot:${one.id}`, label: one.name })),
    ...project.footage
      .filter((one) => one.state === "ready" && one.frames)
      .map((one) => ({ value: `footage:${one.id}`, label: one.name })),
  ]);
  const lost = $derived(held?.media.filter((one) => !media[one.name]).length ?? 0);

  async function choose(files: FileList | null) {
    const one = files?.[0];
    if (!one) return;
    const kind = one.name.toLowerCase().endsWith(".edl") ? "edl" : "otio";
    await look({ name: one.name, kind, text: await one.text(), fps: Number(fps), media: {} });
  }

  async function look(next: TimelineFile) {
    file = next;
    try {
      held = await api.lookAtTimeline(project.id, next);
      media = Object.fromEntries(held.media.map((one) => [one.name, one.found]));
      fault = "";
    } catch (error) {
      held = null;
      fault = (error as Error).message;
    }
  }

  async function make() {
    try {
      const made = await api.readTimeline(project.id, { ...file!, media });
      for (const says of made.said) notes.add(says);
      open = false;
      held = file = null;
      location.hash = `#/shot/${made.reel.id}`;
    } catch (error) {
      fault = (error as Error).message;
    }
  }
</script>

<Dialog title="Open a timeline file" {open} onclose={() => (open = false)}>
  <div class="grid gap-2.5">
    <label class="grid gap-1"
      ><span class="text-quiet">OpenTimelineIO (.otio), or a CMX 3600 edit list (.edl)</span>
      <input
        type="file"
        accept=".otio,.edl"
        aria-label="Timeline file"
        onchange={(e) => choose(e.currentTarget.files)}
      /></label
    >
    {#if file?.kind === "edl"}
      <label class="flex items-center gap-2"
        >An edit list does not say its rate:
        <Select
          name="Frames a second"
          value={fps}
          options={["23.976", "24", "25", "29.97", "30", "50", "60"].map((value) => ({
            value,
            label: `${value} fps`,
          }))}
          onpick={(value) => {
            fps = value;
            void look({ ...file!, fps: Number(value) });
          }}
        /></label
      >
    {/if}
    {#if fault}<p class="text-redtext" role="alert">{fault}</p>{/if}
    {#if held}
      <p>
        <b class="font-semibold">{held.name}</b>: {held.pieces}
        {held.pieces === 1 ? "piece" : "pieces"} at {held.fps} fps.
        {lost ? `${lost} of its media are not in this project.` : "All of its media are here."}
      </p>
      <ul class="grid max-h-64 gap-1 overflow-y-auto" aria-label="Media of the timeline">
        {#each held.media as one (one.name)}
          <li class="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] items-center gap-2">
            <span class="truncate" title={one.file || one.name}
              >{one.found ? "✓" : "✕"} {one.name}</span
            >
            <Select
              name={`Stands for ${one.name}`}
              value={media[one.name]}
              options={choices}
              onpick={(value) => (media[one.name] = value)}
            />
          </li>
        {/each}
      </ul>
      {#each held.said as says (says)}<p class="text-xs text-quiet">{says}</p>{/each}
    {/if}
    <div class="flex justify-end gap-2">
      <Button onclick={() => (open = false)}>Cancel</Button>
      <Button kind="main" disabled={!held} onclick={make}>Make a reel</Button>
    </div>
  </div>
</Dialog>
