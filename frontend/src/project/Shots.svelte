<!-- The shots of a project: one is opened, several are chosen and done something with at once. -->
<script lang="ts">
  import { SvelteSet } from "svelte/reactivity";
  import type { ShotCard } from "../lib/api-types";
  import { ago } from "../lib/format";
  import { choicesOf, putAway } from "../lib/things";
  import type { ProjectStore } from "../footage/uploads.svelte";
  import { newReel } from "../reel/make";
  import Button from "../ui/Button.svelte";
  import Menu from "../ui/Menu.svelte";
  import Segments from "../ui/Segments.svelte";
  import ExportAll from "./ExportAll.svelte";
  import LayOnAll from "./LayOnAll.svelte";

  type Props = { store: ProjectStore; changed: () => void; tofootage: () => void };
  let { store, changed, tofootage }: Props = $props();
  const project = $derived(store.project!);
  let order = $state<"use" | "name">(localStorage.getItem("shots") === "name" ? "name" : "use");
  const chosen = new SvelteSet<number>();
  let asked = $state<"export" | "look" | null>(null);
  const sorted = $derived(
    [...project.shots].sort((a, b) =>
      order === "name"
        ? a.name.localeCompare(b.name, undefined, { numeric: true })
        : b.updated.localeCompare(a.updated),
    ),
  );
  const those = $derived(sorted.filter((one) => chosen.has(one.id)));
  let last = -1;

  function choose(at: number, on: boolean, whole: boolean) {
    const [from, to] = whole && last >= 0 ? [Math.min(last, at), Math.max(last, at)] : [at, at];
    for (const one of sorted.slice(from, to + 1))
      if (on) chosen.add(one.id);
      else chosen.delete(one.id);
    last = at;
  }

  function says(shot: ShotCard): string {
    const mattes = shot.mattes === 1 ? "1 matte" : `${shot.mattes} mattes`;
    return `${shot.frames} frames · ${Math.round(shot.fps * 100) / 100} fps · ${mattes}`;
  }

  /** A reel of the chosen shots, as they stand here. */
  const reel = () =>
    newReel(
      project.id,
      those.map((one) => one.id),
    );

  async function away() {
    await putAway(
      those.map(({ id, name }) => ({ things: "shots", id, name })),
      changed,
    );
    chosen.clear();
  }
</script>

{#if project.shots.length}
  <div class="mb-3 flex min-h-8 flex-wrap items-center gap-2">
    {#if those.length}
      <strong class="font-semibold"
        >{those.length === 1 ? "1 shot" : `${those.length} shots`} chosen</strong
      >
      <Button onclick={() => (asked = "export")}>Export …</Button>
      <Button onclick={reel}>Make a reel …</Button>
      <Button onclick={() => (asked = "look")}>Lay a look on …</Button>
      <Button onclick={away}>Put into the trash</Button>
      <Button kind="bare" onclick={() => sorted.forEach((one) => chosen.add(one.id))}>All</Button>
      <Button kind="bare" onclick={() => chosen.clear()}>None</Button>
    {:else}
      <span class="text-quiet">Several are chosen by the box in their corner.</span>
    {/if}
    <Segments
      name="Sorted by"
      class="ml-auto"
      value={order}
      options={[
        { value: "use", label: "last worked on" },
        { value: "name", label: "name" },
      ]}
      onpick={(next) => {
        order = next as typeof order;
        localStorage.setItem("shots", next);
      }}
    />
  </div>
{/if}
<ul class="grid grid-cols-[repeat(auto-fill,minmax(230px,1fr))] gap-x-4.5 gap-y-5">
  {#each sorted as shot, n (shot.id)}
    <li class="group/card relative" data-chosen={chosen.has(shot.id)}>
      <a class="group grid text-inherit no-underline" href={`#/shot/${shot.id}`}>
        <span
          class={[
            "mb-1.5 block aspect-video overflow-hidden border-y-7 border-film bg-film outline-2 group-hover:outline-ink",
            chosen.has(shot.id) ? "outline-blue" : "outline-transparent",
          ]}
          ><img
            class="size-full object-cover"
            src={shot.picture}
            alt={`A frame of ${shot.name}`}
          /></span
        >
        <strong class="truncate font-semibold">{shot.name}</strong>
        <span class="pr-7 text-quiet">{says(shot)}</span>
        <span class="pr-7 text-quiet"
          >{ago(shot.updated)}{shot.doubts ? " · " : ""}<span class="text-ink"
            >{#if shot.doubts}{shot.doubts === 1 ? "1 frame" : `${shot.doubts} frames`} in doubt{/if}</span
          ></span
        >
      </a>
      <label
        class={[
          "absolute top-2.5 left-1.5 grid size-7 cursor-pointer place-items-center rounded bg-paper/90 group-hover/card:opacity-100 focus-within:opacity-100 pointer-coarse:opacity-100",
          !those.length && "opacity-0",
        ]}
        ><input
          class="size-4 accent-ink"
          type="checkbox"
          aria-label={`Choose ${shot.name}`}
          checked={chosen.has(shot.id)}
          onclick={(e) => choose(n, e.currentTarget.checked, e.shiftKey)}
        /></label
      >
      <Menu
        name={`More for ${shot.name}`}
        class="absolute right-0 bottom-0"
        choices={choicesOf({ things: "shots", id: shot.id, name: shot.name }, changed)}
      />
    </li>
  {:else}
    <li class="col-span-full text-quiet">
      No shot yet. <button type="button" class="btn" onclick={tofootage}>Footage</button> starts one on
      what was brought in.
    </li>
  {/each}
</ul>
<ExportAll {project} shots={those} open={asked === "export"} onclose={() => (asked = null)} />
<LayOnAll shots={those} {changed} open={asked === "look"} onclose={() => (asked = null)} />
