<!-- Packed files of a project that are being made, are ready to be fetched, or are being brought in. -->
<script lang="ts">
  import { api } from "../lib/api";
  import type { JobOut } from "../lib/api-types";
  import { ago, bytes } from "../lib/format";
  import { notes } from "../lib/notes.svelte";
  import { choicesOf } from "../lib/things";
  import type { ProjectStore } from "../footage/uploads.svelte";
  import Button from "../ui/Button.svelte";
  import Menu from "../ui/Menu.svelte";

  let { store, changed }: { store: ProjectStore; changed: () => void } = $props();
  const packs = $derived(
    (store.project?.jobs ?? []).filter((j) => j.kind === "pack" || j.kind === "unpack"),
  );

  async function stop(job: JobOut) {
    try {
      store.told({ event: "job", job: await api.stop(job.id) });
    } catch (error) {
      notes.fault(error);
    }
  }
</script>

{#each packs as job (job.id)}
  <p class="mt-1.5 flex flex-wrap items-center gap-x-2.5 gap-y-1" role="status">
    {#if job.state === "waiting" || job.state === "working"}
      <span
        >{job.kind === "pack" ? "Packing …" : `Bringing in ${job.title} …`}{job.total
          ? ` ${job.done} of ${job.total} parts`
          : ""}</span
      >
      <Button kind="bare" onclick={() => stop(job)}>Stop</Button>
    {:else if job.state === "done" && job.kind === "pack"}
      <a class="btn" href={`/api/jobs/${job.id}/file`} download
        >Fetch {job.result.filename}, {bytes(Number(job.result.size ?? 0))}</a
      >
      <span class="text-quiet">packed {ago(job.finished ?? "")}</span>
      <Menu
        name={`More for ${job.result.filename}`}
        choices={choicesOf(
          { things: "jobs", id: job.id, name: String(job.result.filename) },
          changed,
        )}
      />
    {:else if job.state === "failed"}
      <span class="text-redtext">{job.message}</span>
    {/if}
  </p>
{/each}
