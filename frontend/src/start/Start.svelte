<script lang="ts">
  import { onMount } from "svelte";
  import { api, bringIn } from "../lib/api";
  import { listen, type Event } from "../lib/events";
  import { notes } from "../lib/notes.svelte";
  import type { JobOut, TrashedOut } from "../lib/api-types";
  import ProjectCard from "./ProjectCard.svelte";
  import { ProjectStore } from "../footage/uploads.svelte";
  import Button from "../ui/Button.svelte";
  import Standing from "../lib/Standing.svelte";
  import Trash from "./Trash.svelte";

  let stores = $state.raw<ProjectStore[] | null>(null);
  let trash = $state.raw<TrashedOut[]>([]);
  let name = $state("");
  let fault = $state("");

  const open = (job: JobOut) => job.state === "waiting" || job.state === "working";
  let turn = 0;
  let making = $state(false);
  let sought = $state("");
  const MANY = 8;
  const found = $derived(
    (stores ?? []).filter((one) =>
      one.project!.name.toLowerCase().includes(sought.trim().toLowerCase()),
    ),
  );

  async function load() {
    const mine = ++turn;
    try {
      const [{ projects }, put] = await Promise.all([api.projects(), api.trash()]);
      if (mine !== turn) return;
      trash = put.trash;
      // uploads go on in the stores at hand
      const known = new Map((stores ?? []).map((store) => [store.id, store]));
      stores = projects.map((project) => {
        const store = known.get(project.id) ?? new ProjectStore(project.id);
        store.project = project;
        return store;
      });
    } catch (error) {
      fault = String((error as Error).message);
    }
  }

  async function create(event: SubmitEvent) {
    event.preventDefault();
    making = true;
    try {
      const project = await api.newProject(name.trim() || "New project");
      location.hash = `#/project/${project.id}`;
    } catch (error) {
      notes.fault(error);
    } finally {
      making = false;
    }
  }

  let packed: HTMLInputElement;
  /** How much of a packed project has been sent. */
  let sent = $state<number | null>(null);

  async function unpack() {
    const file = packed.files?.[0];
    if (!file) return;
    packed.value = "";
    sent = 0;
    try {
      await bringIn(file, (share) => (sent = share)).done;
      await load();
    } catch (error) {
      notes.fault(error);
    } finally {
      sent = null;
    }
  }

  onMount(() => {
    void load();
    return listen(
      (event: Event) => {
        if (event.event === "project") void load();
        else if (event.event === "job" && event.job.kind === "unpack" && !open(event.job))
          void load();
        else stores?.forEach((store) => store.told(event));
      },
      (up) => up && fault && ((fault = ""), void load()),
    );
  });
</script>

<svelte:head><title>Cuvrel</title></svelte:head>

<div class="h-full overflow-y-auto">
  <header class="flex items-center gap-5.5 border-b-2 border-ink bg-sheet px-11 pt-5.5 pb-4">
    <h1 class="flex items-center gap-2 text-[26px] font-semibold">
      <img src="/mark.svg" alt="" width="24" height="24" /> Cuvrel
    </h1>
    <p class="max-w-[460px] flex-1 text-quiet">
      Cut a moving subject out of ordinary footage, check it frame by frame, and treat the subject
      alone.
    </p>
    <form class="ml-auto flex gap-2" onsubmit={create}>
      <input
        class="field w-55"
        placeholder="Name of a new project"
        aria-label="Name of a new project"
        maxlength="120"
        bind:value={name}
      />
      <Button kind="main" type="submit" disabled={making}
        >{making ? "Making …" : "New project"}</Button
      >
    </form>
    <input
      class="hidden"
      type="file"
      accept=".zip"
      aria-label="A packed project"
      bind:this={packed}
      onchange={unpack}
    />
    <Button onclick={() => packed.click()} disabled={sent !== null}
      >{sent === null
        ? "Bring in a packed project"
        : `Sending … ${Math.round(sent * 100)} %`}</Button
    >
  </header>
  <main class="px-11 pt-4 pb-15">
    <Standing />
    {#if fault}<p class="text-redtext" role="alert">{fault}</p>{/if}
    {#if (stores?.length ?? 0) > MANY}
      <input
        class="field mb-3 w-72"
        type="search"
        placeholder={`Search ${stores!.length} projects`}
        aria-label="Search the projects"
        bind:value={sought}
      />
    {/if}
    <ul class="grid grid-cols-[repeat(auto-fill,minmax(260px,1fr))] gap-x-5 gap-y-6">
      {#each found as store (store.id)}
        <ProjectCard {store} changed={load} />
      {:else}
        <li class="col-span-full">
          {#if !stores}
            {fault ? "" : "Looking for the projects …"}
          {:else if stores.length}
            No project is called so.
          {:else}
            No project yet. Give one a name above, then drop footage on it.
          {/if}
        </li>
      {/each}
    </ul>
    {#if trash.length}<Trash {trash} done={load} />{/if}
  </main>
</div>
