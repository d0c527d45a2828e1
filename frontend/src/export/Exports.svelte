<script lang="ts">
  import { api } from "../lib/api";
  import type { CatalogueOut, JobOut } from "../lib/api-types";
  import type { Desk } from "../lib/desk.svelte";
  import { bytes, left } from "../lib/format";
  import Icon from "../lib/Icon.svelte";
  import { notes } from "../lib/notes.svelte";

  import { choicesOf } from "../lib/things";
  import Menu from "../ui/Menu.svelte";

  let { desk, catalogue }: { desk: Desk; catalogue: CatalogueOut } = $props();
  const shot = $derived(desk.shot);
  let kind = $state("result-h264");
  let target = $state("");
  let looped = $state(false);
  let now = $state(Date.now());
  const chosen = $derived(catalogue.exports.find((e) => e.kind === kind)!);
  const jobs = $derived(shot.jobs.filter((j) => j.kind === "export"));
  const matte = $derived(target || desk.matteId || "");

  $effect(() => {
    const timer = setInterval(() => (now = Date.now()), 1000);
    return () => clearInterval(timer);
  });

  async function start() {
    try {
      const range = looped && desk.loop ? desk.loop : shot.range;
      const wanted = chosen.what === "result" ? null : matte;
      shot.takeJob(await api.newExport(shot.id, kind, wanted, range[0], range[1]));
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

<section class="slide" aria-label="Export">
  <header>
    <h2>Export</h2>
    <button class="btn-bare" aria-label="Close" onclick={() => (desk.slide = "none")}
      ><Icon name="close" /></button
    >
  </header>
  <fieldset>
    <legend>What to write</legend>
    {#each catalogue.exports as item (item.kind)}
      <label class:chosen={kind === item.kind}>
        <input type="radio" name="kind" value={item.kind} bind:group={kind} />
        <span>{item.label}<small>{item.hint}</small></span>
      </label>
    {/each}
  </fieldset>
  {#if chosen.what !== "result"}
    <label class="row"
      >Matte
      <select class="field" value={matte} onchange={(e) => (target = e.currentTarget.value)}>
        {#each shot.doc!.mattes as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
      </select>
    </label>
  {/if}
  {#if desk.loop}
    <label class="row"><input type="checkbox" bind:checked={looped} /> only the loop range</label>
  {/if}
  <button class="btn btn-red go" disabled={chosen.what !== "result" && !matte} onclick={start}
    >Start this export</button
  >
  <h3>Queue</h3>
  <ul>
    {#each jobs as job (job.id)}
      <li>
        <strong>{job.title}</strong>
        {#if !["working", "waiting"].includes(job.state)}
          <Menu
            name={`More for ${job.title}`}
            choices={choicesOf({ things: "jobs", id: job.id, name: job.title }, () => shot.look())}
          />
        {/if}
        <span class:fault={job.state === "failed"}>{standing(job)}</span>
        {#if job.state === "working" || job.state === "waiting"}
          <progress value={job.total ? job.done / job.total : 0} aria-label={job.title}></progress>
          <button class="btn" onclick={() => api.stop(job.id).catch((e) => notes.fault(e))}
            >Stop</button
          >
        {:else if job.state === "done"}
          <a class="btn" href={`/api/jobs/${job.id}/file`} download
            >Save {String(job.result.filename)}</a
          >
          <a class="beside" href={`/api/jobs/${job.id}/sidecar`} download>its sidecar</a>
        {:else}
          <button
            class="btn"
            onclick={() =>
              api.again(job.id).then(
                (j) => shot.takeJob(j),
                (e) => notes.fault(e),
              )}>Run again</button
          >
        {/if}
      </li>
    {:else}
      <li class="none">Nothing has been exported from this shot yet.</li>
    {/each}
  </ul>
</section>

<style>
  section {
    inset: 0 0 0 auto;
    width: 330px;
    display: flex;
    flex-direction: column;
    padding: 0 14px 12px;
    overflow-y: auto;
  }
  header {
    display: flex;
    align-items: center;
    justify-content: space-between;
    padding: 8px 0;
  }
  h2 {
    margin: 0;
    font-size: 16px;
    font-weight: 600;
  }
  h3 {
    margin: 14px 0 4px;
    font-size: 13px;
    font-weight: 600;
    border-bottom: 1px solid var(--rule);
  }
  fieldset {
    border: 0;
    margin: 0;
    padding: 0;
  }
  legend {
    color: var(--quiet);
    font-size: 12px;
    padding: 0 0 4px;
  }
  fieldset label {
    display: flex;
    align-items: baseline;
    gap: 8px;
    border: 1.5px solid var(--rule);
    border-radius: 5px;
    background: var(--card);
    padding: 5px 9px;
    margin-bottom: 4px;
    cursor: pointer;
  }
  .chosen {
    border-color: var(--ink);
  }
  small {
    display: block;
    color: var(--quiet);
  }
  input {
    accent-color: var(--ink);
  }
  .row {
    display: flex;
    align-items: center;
    gap: 8px;
    margin-top: 6px;
  }
  .go {
    margin-top: 10px;
    justify-content: center;
  }
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px 8px;
    padding: 7px 0;
    border-bottom: 1px solid var(--faint);
  }
  li strong {
    flex: 1;
    min-width: 60%;
    font-weight: 500;
  }
  li > span {
    flex: 1 0 100%;
    font-size: 12px;
    color: var(--quiet);
  }
  .fault {
    color: var(--redtext);
  }
  progress {
    flex: 1;
    height: 7px;
    accent-color: var(--blue);
  }
  .btn {
    max-width: 100%;
    overflow: hidden;
    text-overflow: ellipsis;
    color: inherit;
    text-decoration: none;
  }
  .btn-red {
    color: #fff;
  }
  .beside {
    color: var(--bluetext);
    font-size: 12px;
  }
  .none {
    color: var(--quiet);
  }
</style>
