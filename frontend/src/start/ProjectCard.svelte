<!-- A project among others: what was last worked on in it, and how much it holds. -->
<script lang="ts">
  import { api } from "../lib/api";
  import { ago, bytes } from "../lib/format";
  import { choicesOf } from "../lib/things";
  import type { ProjectStore } from "../footage/uploads.svelte";
  import Menu from "../ui/Menu.svelte";
  import Packs from "../project/Packs.svelte";
  import { packing } from "../project/packs";

  /** changed: what the start page lists may be another now. */
  let { store, changed }: { store: ProjectStore; changed: () => void } = $props();
  const project = $derived(store.project!);
  const latest = $derived(
    [...project.shots].sort((a, b) => b.updated.localeCompare(a.updated))[0] ?? null,
  );
  const film = $derived(project.footage.find((one) => one.film)?.film ?? null);
  /** What the space of a project hangs on; how far its jobs are is not among it. */
  const held = $derived(
    [project.updated, project.shots.length, ...project.footage.map((f) => f.state)].join(),
  );
  let space = $state<number | null>(null);

  $effect(() => {
    void held;
    void api.space(store.id).then(
      (found) => (space = found.total),
      () => (space = null),
    );
  });
</script>

<li class="relative">
  <section aria-label={project.name} data-project={project.id}>
    <a class="group grid text-inherit no-underline" href={`#/project/${project.id}`}>
      <span
        class="mb-1.5 grid aspect-video place-items-center overflow-hidden border-y-7 border-film bg-film outline-2 outline-transparent group-hover:outline-ink"
      >
        {#if latest}
          <img class="size-full object-cover" src={latest.picture} alt="" />
        {:else if film}
          <span
            class="size-full bg-left bg-no-repeat"
            style:background-image={`url(${film.url})`}
            style:background-size="auto 100%"
          ></span>
        {:else}
          <span class="text-[13px] text-[#cfcac0]">nothing in it yet</span>
        {/if}
      </span>
      <h2 class="truncate pr-7 text-[15px] font-semibold">{project.name}</h2>
      <span class="pr-7 text-quiet"
        >{project.shots.length === 1 ? "1 shot" : `${project.shots.length} shots`} · worked on {ago(
          project.updated,
        )}{space === null ? "" : ` · ${bytes(space)}`}</span
      >
    </a>
    <Menu
      name={`More for project ${project.name}`}
      class="absolute right-0 bottom-0"
      choices={[
        ...choicesOf({ things: "projects", id: project.id, name: project.name }, changed),
        packing(store),
      ]}
    />
    <Packs {store} {changed} />
  </section>
</li>
