<script lang="ts">
  import SlideHead from "../ui/SlideHead.svelte";
  import { api } from "../lib/api";
  import type { JobOut } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { bytes, left } from "../lib/format";
  import { notes } from "../lib/notes.svelte";

  import { choicesOf } from "../lib/things";
  import Button from "../ui/Button.svelte";
  import Progress from "../ui/Progress.svelte";
  import Select from "../ui/Select.svelte";
  import Menu from "../ui/Menu.svelte";

  let { desk }: { desk: Desk } = $props();
  const catalogue = $derived(desk.shot.catalogue);
  const shot = $derived(desk.shot);
  let kind = $state("result-h264");
  let target = $state("");
  let looped = $state(false);
  let audited = $state(false);
  let now = $state(Date.now());
  const chosen = $derived(catalogue.exports.find((e) => e.kind === kind)!);
  const jobs = $derived(shot.jobs.filter((j) => j.kind === "export"));
  const matte = $derived(target || desk.selection.matteId || "");

  $effect(() => {
    const timer = setInterval(() => (now = Date.now()), 1000);
    return () => clearInterval(timer);
  });

  async function start() {
    try {
      const range = looped && desk.playback.loop ? desk.playback.loop : shot.range;
      const wanted = chosen.what === "result" ? null : matte;
      shot.takeJob(await api.newExport(shot.id, kind, wanted, range[0], range[1], audited));
    } catch (error) {
      notes.fault(error);
    }
  }

  function standing(job: JobOut): string {
    if (job.stopping) return "stopping …";
    if (job.state === "waiting") return "waits for its turn";
    if (job.state === "working") return `${job.done} of ${job.total} frames${left(job, now)}`;
    if (job.state === "done") return `ready, ${bytes(Number(job.result.size ?? 0))}`;
    return job.message || job.state;
  }
</script>

<section
  class="slide inset-y-0 right-0 flex w-[330px] flex-col overflow-y-auto px-3.5 pb-3"
  aria-label="Export"
>
  <SlideHead {desk} title="Export" />
  <fieldset>
    <legend class="pb-1 text-xs text-quiet">What to write</legend>
    {#each catalogue.exports as item (item.kind)}
      <label
        class={[
          "mb-1 flex cursor-pointer items-center gap-2 rounded-[5px] border-[1.5px] bg-card px-2 py-1",
          kind === item.kind ? "border-ink" : "border-rule",
        ]}
      >
        <input class="accent-ink" type="radio" name="kind" value={item.kind} bind:group={kind} />
        <span>{item.label}<small class="block text-quiet">{item.hint}</small></span>
      </label>
    {/each}
  </fieldset>
  {#if chosen.what !== "result"}
    <div class="mt-1.5 flex items-center gap-2">
      Matte
      <Select
        name="Matte"
        class="flex-1"
        value={matte}
        options={shot.doc.mattes.map((one) => ({ value: one.id, label: one.name }))}
        onpick={(id) => (target = id)}
      />
    </div>
  {/if}
  {#if desk.playback.loop}
    <label class="mt-1.5 flex items-center gap-2"
      ><input class="accent-ink" type="checkbox" bind:checked={looped} /> only the loop range</label
    >
  {/if}
  {#if chosen.what === "result" && shot.last("audit")}
    <label class="mt-1.5 flex items-center gap-2"
      ><input class="accent-ink" type="checkbox" bind:checked={audited} /> only where the audit is clean</label
    >
  {/if}
  <Button
    kind="main"
    class="mt-2.5 justify-center"
    disabled={chosen.what !== "result" && !matte}
    onclick={start}>Start this export</Button
  >
  <h3 class="mt-3.5 mb-1 border-b border-rule text-[13px] font-semibold">Queue</h3>
  <ul>
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
