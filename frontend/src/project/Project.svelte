<!-- A project: its shots, its reels and its footage. Files that are dropped anywhere come in. -->
<script lang="ts">
  import { onMount } from "svelte";
  import { api, Problem } from "../lib/api";
  import Dropping from "../lib/Dropping.svelte";
  import { listen } from "../lib/events";
  import Standing from "../lib/Standing.svelte";
  import { choicesOf } from "../lib/things";
  import Footage from "../footage/Shelf.svelte";
  import { ProjectStore, type Dropped } from "../footage/uploads.svelte";
  import Menu from "../ui/Menu.svelte";
  import Segments from "../ui/Segments.svelte";
  import Packs from "./Packs.svelte";
  import { packing } from "./packs";
  import Reels from "./Reels.svelte";
  import Shots from "./Shots.svelte";

  let { id }: { id: number } = $props();
  // svelte-ignore state_referenced_locally (the page is made anew for another project)
  const store = new ProjectStore(id);
  const project = $derived(store.project);
  let fault = $state("");
  /** The part that somebody chose; until then, footage is shown where there is no shot. */
  let chosen = $state<"shots" | "reels" | "footage" | null>(null);
  const part = $derived(chosen ?? (project?.shots.length ? "shots" : "footage"));
  /** Whether a packed project is still being brought in here. */
  const coming = $derived(
    !!project?.jobs.some((j) => j.kind === "unpack" && ["waiting", "working"].includes(j.state)),
  );

  async function load() {
    try {
      store.project = await api.project(id);
      fault = "";
    } catch (error) {
      // what was shown here was put away; a lost connection is told elsewhere
      if (project && error instanceof Problem && error.status === 404) location.hash = "#/";
      else fault = (error as Error).message;
    }
  }

  function bring(files: Dropped[]) {
    chosen = "footage";
    void store.send(files);
  }

  onMount(() => {
    void load();
    return listen(
      (event) => {
        store.told(event);
        // whatever a shot or the project went through shows on the cards
        if (event.event === "project") void load();
        if (event.event === "job" && event.job.project === id && event.job.kind === "unpack")
          void load();
      },
      (up) => up && fault && void load(),
    );
  });
</script>

<svelte:head><title>{project ? `${project.name} · Cuvrel` : "Cuvrel"}</title></svelte:head>

<Dropping class="h-full" onfiles={bring}>
  <div class="h-full overflow-y-auto">
    <header
      class="flex flex-wrap items-center gap-x-4 gap-y-2 border-b-2 border-ink bg-sheet px-11 pt-4 pb-3"
    >
      <a class="flex items-center gap-1.5 text-[15px] font-semibold" href="#/" title="All projects">
        <img src="/mark.svg" alt="" width="16" height="16" />Cuvrel
      </a>
      {#if project}
        <h1 class="min-w-0 truncate text-[20px] font-semibold">{project.name}</h1>
        <Menu
          name={`More for project ${project.name}`}
          choices={[
            ...choicesOf({ things: "projects", id, name: project.name }, () => void load()),
            packing(store),
          ]}
        />
        <Segments
          name="Part of the project"
          class="ml-auto"
          size="tall"
          value={part}
          options={[
            { value: "shots", label: `Shots  ${project.shots.length}` },
            { value: "reels", label: `Reels  ${project.reels.length}` },
            { value: "footage", label: `Footage  ${project.footage.length}` },
          ]}
          onpick={(next) => (chosen = next as typeof part)}
        />
      {/if}
    </header>
    <main class="px-11 pt-4 pb-15">
      <Standing />
      {#if project}
        <section aria-label={project.name} data-project={id}>
          <Packs {store} changed={load} />
          {#if coming}
            <p class="text-quiet">What is in it comes as soon as all of it is here.</p>
          {:else if part === "shots"}
            <Shots {store} changed={load} tofootage={() => (chosen = "footage")} />
          {:else if part === "reels"}
            <Reels {project} changed={load} />
          {:else}
            <Footage {store} />
          {/if}
        </section>
      {:else if fault}
        <p class="text-redtext" role="alert">{fault}</p>
        <p class="mt-2"><a class="btn" href="#/">Back to the projects</a></p>
      {:else}
        <p>Opening the project …</p>
      {/if}
    </main>
  </div>
</Dropping>
