<script lang="ts">
  import SlideHead from "../ui/SlideHead.svelte";
  import { api, type ExportSettings } from "../lib/api";
  import type { EstimateOut, JobOut, PresetOut } from "../lib/api-types";
  import { asking } from "../lib/asking.svelte";
  import type { Desk } from "../desk/desk.svelte";
  import { bytes, left } from "../lib/format";
  import { notes } from "../lib/notes.svelte";

  import { choicesOf } from "../lib/things";
  import Button from "../ui/Button.svelte";
  import Progress from "../ui/Progress.svelte";
  import Menu from "../ui/Menu.svelte";
  import Order from "./Order.svelte";
  import { begun, fitting } from "./settings";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  const jobs = $derived(shot.jobs.filter((j) => j.kind === "export"));
  let settings = $state.raw<ExportSettings>(remembered());
  let looped = $state(false);
  let audited = $state(false);
  let now = $state(Date.now());
  let presets = $state.raw<PresetOut[]>([]);
  let estimate = $state.raw<EstimateOut | null>(null);
  let fault = $state("");

  /** What was asked for last, in this browser. */
  function remembered(): ExportSettings {
    try {
      const kept = JSON.parse(localStorage.getItem("export") ?? "{}") as Partial<ExportSettings>;
      return fitting({ ...begun(), ...kept, targets: [] }, desk, desk.shot.catalogue.hows);
    } catch {
      return begun();
    }
  }

  function set(next: ExportSettings) {
    settings = next;
    localStorage.setItem("export", JSON.stringify({ ...next, targets: [] }));
  }

  const body = $derived.by(() => {
    const range = looped && desk.playback.loop ? desk.playback.loop : shot.range;
    return { ...settings, first: range[0], last: range[1], audited };
  });

  $effect(() => {
    const timer = setInterval(() => (now = Date.now()), 1000);
    void loadPresets();
    return () => clearInterval(timer);
  });

  // how large and how long it will be, once the hand has come to rest
  $effect(() => {
    const asked = body;
    void shot.at;
    let late = false;
    estimate = null;
    fault = "";
    const later = setTimeout(async () => {
      try {
        await shot.settled();
        const found = await api.estimate(shot.id, asked);
        if (!late) estimate = found;
      } catch (error) {
        if (!late) fault = error instanceof Error ? error.message : String(error);
      }
    }, 500);
    return () => ((late = true), clearTimeout(later));
  });

  async function loadPresets() {
    try {
      presets = (await api.presets()).presets;
    } catch (error) {
      notes.fault(error);
    }
  }

  async function keep() {
    const name = await asking.name("Keep these settings as", "", "Keep");
    if (!name) return;
    try {
      await api.newPreset(name, settings);
      await loadPresets();
    } catch (error) {
      notes.fault(error);
    }
  }

  async function forget(preset: PresetOut) {
    try {
      presets = (await api.deletePreset(preset.id)).presets;
    } catch (error) {
      notes.fault(error);
    }
  }

  /** Of a reel: a file for each piece, up to where the next one comes in. */
  let apart = $state(false);

  async function pieces() {
    const all = shot.laid;
    const [first, last] = [body.first, body.last];
    for (const one of all) {
      const end = all[one.at + 1]?.begin ?? one.begin + one.count;
      const span = { first: Math.max(first, one.begin), last: Math.min(last, end - 1) };
      if (span.first > span.last) continue;
      const number = String(one.at + 1).padStart(2, "0");
      const name = `${settings.name ?? begun().name}_${number}`;
      shot.takeJob(await api.newExport(shot.id, { ...body, ...span, name }));
    }
  }

  async function start() {
    try {
      await shot.settled();
      if (apart && shot.reel) await pieces();
      else shot.takeJob(await api.newExport(shot.id, body));
    } catch (error) {
      notes.fault(error);
    }
  }

  function time(seconds: number): string {
    if (seconds < 90) return `${Math.max(1, Math.round(seconds))} s`;
    return `${Math.round(seconds / 60)} min`;
  }

  function standing(job: JobOut): string {
    if (job.stopping) return "stopping …";
    if (job.state === "waiting") return "waits for its turn";
    if (job.state === "working") return `${job.done} of ${job.total} frames${left(job, now)}`;
    if (job.state === "done") return `ready, ${bytes(Number(job.result.size ?? 0))}`;
    return job.message || job.state;
  }
</script>

<section class="room flex flex-col" aria-label="Export">
  <SlideHead {desk} title="Export" />
  {#if presets.length}
    <ul class="mb-2 flex flex-wrap gap-1" aria-label="Presets">
      {#each presets as preset (preset.id)}
        <li class="flex items-center rounded border border-rule bg-card text-xs">
          <Button
            kind="bare"
            onclick={() =>
              set(fitting({ ...begun(), ...preset.settings }, desk, shot.catalogue.hows))}
            >{preset.name}</Button
          ><Button kind="bare" aria-label={`Forget ${preset.name}`} onclick={() => forget(preset)}
            >✕</Button
          >
        </li>
      {/each}
    </ul>
  {/if}
  <Order {desk} {settings} onset={set} />
  {#if shot.reel && shot.reel.pieces.length > 1}
    <label class="mt-1.5 flex items-center gap-2"
      ><input class="accent-ink" type="checkbox" bind:checked={apart} /> each piece to a file of its own</label
    >
  {/if}
  {#if desk.playback.loop}
    <label class="mt-1.5 flex items-center gap-2"
      ><input class="accent-ink" type="checkbox" bind:checked={looped} /> only the loop range</label
    >
  {/if}
  {#if settings.what === "result" && shot.last("audit")}
    <label class="mt-1.5 flex items-center gap-2"
      ><input class="accent-ink" type="checkbox" bind:checked={audited} /> only where the audit is clean</label
    >
  {/if}
  <p class="mt-2 min-h-9 text-xs text-quiet" aria-live="polite" aria-label="What to expect">
    {#if fault}<span class="text-redtext">{fault}</span>
    {:else if estimate}
      <span class="block truncate font-mono text-[11px] text-ink">{estimate.name}</span>
      {estimate.frames} frames, about {bytes(estimate.bytes)}, about {time(estimate.seconds)}
    {:else}weighing it …{/if}
  </p>
  <div class="mt-1.5 flex gap-1.5">
    <Button kind="main" class="flex-1 justify-center" disabled={!!fault} onclick={start}
      >Start this export</Button
    >
    <Button title="Keep these settings under a name" onclick={keep}>Keep …</Button>
  </div>
  <h3 class="mt-3.5 mb-1 border-b border-rule text-[13px] font-semibold">Queue</h3>
  <ul aria-label="Queue">
    {#each jobs as job (job.id)}
      <li class="flex flex-wrap items-center gap-x-2 gap-y-1 border-b border-faint py-2">
        <strong class="min-w-[60%] flex-1 font-medium">{job.title}</strong>
        {#if !["working", "waiting"].includes(job.state)}
          <Menu
            name={`More for ${job.title}`}
            choices={choicesOf({ things: "jobs", id: job.id, name: job.title }, () => shot.look())}
          />
        {/if}
        <span class={["basis-full text-xs", job.state === "failed" ? "text-redtext" : "text-quiet"]}
          >{standing(job)}</span
        >
        {#if job.state === "working" || job.state === "waiting"}
          <Progress class="flex-1" share={job.total ? job.done / job.total : 0} name={job.title} />
          <Button onclick={() => api.stop(job.id).catch((e) => notes.fault(e))}>Stop</Button>
        {:else if job.state === "done"}
          <a
            class="btn max-w-full truncate text-inherit no-underline"
            href={`/api/jobs/${job.id}/file`}
            download>Save {String(job.result.filename)}</a
          >
          <a class="text-xs text-bluetext" href={`/api/jobs/${job.id}/sidecar`} download
            >its sidecar</a
          >
        {:else}
          <Button
            onclick={() =>
              api.again(job.id).then(
                (j) => shot.takeJob(j),
                (e) => notes.fault(e),
              )}>Run again</Button
          >
        {/if}
      </li>
    {:else}
      <li class="py-2 text-quiet">Nothing has been exported from this shot yet.</li>
    {/each}
  </ul>
</section>
