<script lang="ts">
  import { api } from "../lib/api";
  import { ago, bytes } from "../lib/format";
  import { choicesOf } from "../lib/things";
  import Shelf from "../footage/Shelf.svelte";
  import type { ProjectStore } from "../footage/uploads.svelte";
  import Menu from "../ui/Menu.svelte";

  /** changed: what the start page lists may be another now. */
  let { store, changed }: { store: ProjectStore; changed: () => void } = $props();
  const project = $derived(store.project!);
  let space = $state<number | null>(null);

  $effect(() => {
    void project;
    void api.space(store.id).then(
      (found) => (space = found.total),
      () => (space = null),
    );
  });
</script>

<section aria-label={project.name} data-project={project.id}>
  <div class="title">
    <h2>{project.name}</h2>
    <span
      >{project.shots.length === 1 ? "1 shot" : `${project.shots.length} shots`} · worked on {ago(
        project.updated,
      )}{space === null ? "" : ` · ${bytes(space)}`}</span
    >
    <Menu
      name={`More for project ${project.name}`}
      choices={choicesOf({ things: "projects", id: project.id, name: project.name }, changed)}
    />
  </div>
  <ul>
    {#each project.shots as shot (shot.id)}
      <li class="relative">
        <a href={`#/shot/${shot.id}`}>
          <span class="frame"><img src={shot.picture} alt={`A frame of ${shot.name}`} /></span>
          <strong>{shot.name}</strong>
          <span class="about"
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
      <li class="none">
        {project.footage.some((f) => f.state === "ready")
          ? "Start a shot on one of the pieces of footage below."
          : "Drop a video on the field below. When it has been brought in, start a shot on it."}
      </li>
    {/each}
  </ul>
  <Shelf {store} />
</section>

<style>
  section {
    padding: 20px 0 24px;
    border-bottom: 1px solid var(--rule);
  }
  .title {
    display: flex;
    align-items: baseline;
    gap: 12px;
  }
  h2 {
    margin: 0;
    font-size: 18px;
    font-weight: 600;
  }
  .title span,
  .about {
    color: var(--quiet);
  }
  ul {
    display: flex;
    flex-wrap: wrap;
    gap: 18px;
    list-style: none;
    margin: 12px 0 16px;
    padding: 0;
  }
  a {
    display: grid;
    width: 288px;
    color: inherit;
    text-decoration: none;
  }
  .frame {
    display: block;
    aspect-ratio: 16 / 9;
    background: #26241f;
    border-block: 7px solid #26241f;
    margin-bottom: 6px;
    overflow: hidden;
  }
  a:hover .frame {
    box-shadow: 0 0 0 2px var(--ink);
  }
  img {
    width: 100%;
    height: 100%;
    object-fit: cover;
    display: block;
  }
  strong {
    font-weight: 600;
  }
  .none {
    color: var(--quiet);
  }
</style>
