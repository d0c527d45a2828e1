<script lang="ts">
  import { api } from "../lib/api";
  import type { JobOut } from "../lib/api-types";
  import { ago, bytes } from "../lib/format";
  import { notes } from "../lib/notes.svelte";
  import { choicesOf } from "../lib/things";
  import Shelf from "../footage/Shelf.svelte";
  import type { ProjectStore } from "../footage/uploads.svelte";
  import Button from "../ui/Button.svelte";
  import Menu from "../ui/Menu.svelte";

  /** changed: what the start page lists may be another now. */
  let { store, changed }: { store: ProjectStore; changed: () => void } = $props();
  const project = $derived(store.project!);
  /** What the space of a project hangs on; how far its jobs are is not among it. */
  const held = $derived(
    [project.updated, project.shots.length, ...project.footage.map((f) => f.state)].join(),
  );
  let space = $state<number | null>(null);
  /** Whether a packed project is still being brought in here. */
  const coming = $derived(
    project.jobs.some((j) => j.kind === "unpack" && ["waiting", "working"].includes(j.state)),
  );
  const packs = $derived(project.jobs.filter((j) => j.kind === "pack" || j.kind === "unpack"));

  async function pack() {
    try {
      const job = await api.pack(store.id);
      store.told({ event: "job", job });
    } catch (error) {
      notes.fault(error);
    }
  }

  async function stop(job: JobOut) {
    try {
      store.told({ event: "job", job: await api.stop(job.id) });
    } catch (error) {
      notes.fault(error);
    }
  }

  $effect(() => {
    void held;
    void api.space(store.id).then(
      (found) => (space = found.total),
      () => (space = null),
    );
  });
</script>

<section class="border-b border-rule pt-5 pb-6" aria-label={project.name} data-project={project.id}>
  <div class="flex items-baseline gap-3">
    <h2 class="text-lg font-semibold">{project.name}</h2>
    <span class="text-quiet"
      >{project.shots.length === 1 ? "1 shot" : `${project.shots.length} shots`} · worked on {ago(
        project.updated,
      )}{space === null ? "" : ` · ${bytes(space)}`}</span
    >
    <Menu
      name={`More for project ${project.name}`}
      choices={[
        ...choicesOf({ things: "projects", id: project.id, name: project.name }, changed),
        {
          label: "Pack into one file",
          hint: "footage, shots and mattes, to be brought in elsewhere",
          run: () => void pack(),
        },
      ]}
    />
  </div>
  {#each packs as job (job.id)}
    <p class="mt-1.5 flex items-center gap-2.5" role="status">
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
  <ul class="mt-3 mb-4 flex flex-wrap gap-4.5">
    {#each project.shots as shot (shot.id)}
      <li class="relative">
        <a class="group grid w-72 text-inherit no-underline" href={`#/shot/${shot.id}`}>
          <span
            class="mb-1.5 block aspect-video overflow-hidden border-y-7 border-film bg-film outline-2 outline-transparent group-hover:outline-ink"
            ><img
              class="size-full object-cover"
              src={shot.picture}
              alt={`A frame of ${shot.name}`}
            /></span
          >
          <strong class="font-semibold">{shot.name}</strong>
          <span class="text-quiet"
            >{shot.frames} frames · {Math.round(shot.fps * 100) / 100} fps · {shot.mattes === 1
              ? "1 matte"
              : `${shot.mattes} mattes`}</span
          >
        </a>
        <Menu
          name={`More for ${shot.name}`}
          class="absolute right-0 bottom-0"
          choices={choicesOf({ things: "shots", id: shot.id, name: shot.name }, changed)}
        />
      </li>
    {:else}
      <li class={coming ? "hidden" : "text-quiet"}>
        {project.footage.some((f) => f.state === "ready")
          ? "Start a shot on one of the pieces of footage below."
          : "Drop a video on the field below. When it has been brought in, start a shot on it."}
      </li>
    {/each}
  </ul>
  {#if !coming}<Shelf {store} />{/if}
</section>
