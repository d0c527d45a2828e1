<!-- Beside an open reel: the project's shots to lay in, what lies over all pieces, and the project's reels. -->
<script lang="ts">
  import { onMount } from "svelte";
  import { api } from "../lib/api";
  import type { Laying, ProjectOut } from "../lib/api-types";
  import { listen } from "../lib/events";
  import { notes } from "../lib/notes.svelte";
  import { choicesOf } from "../lib/things";
  import Icon from "../lib/Icon.svelte";
  import type { Desk } from "../desk/desk.svelte";
  import Heading from "../stand/Heading.svelte";
  import Stand from "../stand/Stand.svelte";
  import Button from "../ui/Button.svelte";
  import Menu from "../ui/Menu.svelte";
  import Segments from "../ui/Segments.svelte";
  import { LAID, layAll, layShot } from "./lay";
  import { newReel } from "./make";
  import OpenTimeline from "./OpenTimeline.svelte";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  let project = $state.raw<ProjectOut | null>(null);
  let of = $state<"shots" | "footage">("shots");
  const inside = $derived(new Set(shot.reel!.pieces.map((one) => one.shot)));
  const fresh = $derived(
    (project?.shots ?? [])
      .filter((one) => !inside.has(`s${one.id}`))
      .map((one) => one.id)
      .sort((a, b) => a - b),
  );

  function load() {
    api.project(shot.about.project).then((found) => (project = found), notes.fault);
  }

  onMount(() => {
    load();
    return listen(
      (event) => {
        if (event.event === "project" || event.event === "footage") load();
        if (event.event === "shot" && event.project === shot.about.project) later();
      },
      () => {},
    );
  });
  let timer = 0;
  function later() {
    clearTimeout(timer);
    timer = window.setTimeout(load, 1500);
  }

  /** Behind the chosen piece, or at the end. */
  function lay(what: Laying) {
    const at = desk.selection.piece;
    layShot(desk, what, at < 0 ? shot.reel!.pieces.length : at + 1).catch(notes.fault);
  }

  function take(event: DragEvent, what: Laying) {
    event.dataTransfer?.setData(LAID, JSON.stringify(what));
    event.dataTransfer!.effectAllowed = "copy";
  }

  let opening = $state(false);
</script>

{#snippet row(
  what: Laying,
  name: string,
  says: string,
  picture: string | undefined,
  there: boolean,
)}
  <li
    class="group flex cursor-grab items-center gap-2.5 rounded px-2 py-1 hover:bg-paper"
    draggable="true"
    ondragstart={(e) => take(e, what)}
  >
    <span class="h-11 w-[78px] flex-none overflow-hidden rounded-sm bg-film">
      {#if picture}<img
          class="size-full object-cover"
          src={picture}
          alt=""
          draggable="false"
        />{/if}
    </span>
    <span class="min-w-0 flex-1 leading-tight">
      <b class="block truncate text-[12.5px] font-semibold">{name}</b>
      <span class="block truncate text-[11.5px] text-quiet">{says}</span>
      {#if there}<span class="rounded-sm border border-rule bg-card px-1 text-[10.5px]"
          >in the reel</span
        >{/if}
    </span>
    <Button
      kind="bare"
      aria-label={`Lay ${name} in`}
      title="Lay in behind the chosen piece"
      onclick={() => lay(what)}><Icon name="plus" size={14} /></Button
    >
  </li>
{/snippet}

<section class="flex min-h-0 flex-col" aria-label="To lay in">
  <Heading name="To lay in" note="drag onto the sheet">
    {#if fresh.length}<Button
        kind="bare"
        title="All shots that are not in the reel yet, in the order in which they were made"
        onclick={() => layAll(desk, fresh).catch(notes.fault)}>All in order</Button
      >{/if}
  </Heading>
  <Segments
    name="What to lay in"
    class="mx-3 mb-1 flex-none"
    value={of}
    options={[
      { value: "shots", label: `Shots ${project?.shots.length ?? ""}` },
      { value: "footage", label: "Footage" },
    ]}
    onpick={(next) => (of = next as typeof of)}
  />
  <ul class="min-h-0 flex-1 overflow-y-auto px-1.5 pb-2">
    {#if of === "shots"}
      {#each project?.shots ?? [] as one (one.id)}
        {@render row(
          { shot: one.id },
          one.name,
          `${one.frames} frames`,
          one.picture,
          inside.has(`s${one.id}`),
        )}
      {:else}
        <li class="px-2 py-1.5 text-quiet">No shot in this project yet; footage can be laid in.</li>
      {/each}
    {:else}
      {#each (project?.footage ?? []).filter((f) => f.state === "ready" && f.frames) as one (one.id)}
        {@render row(
          { footage: one.id },
          one.name,
          `${one.frames} frames, as a bare shot`,
          undefined,
          false,
        )}
      {/each}
    {/if}
  </ul>
</section>
<div class="max-h-[38vh] min-h-0 overflow-y-auto border-t border-rule">
  <Stand {desk} name="Over all" />
</div>
<section class="border-t border-rule" aria-label="Reels">
  <Heading name="Reels" note="">
    <Button kind="bare" onclick={() => newReel(shot.about.project, [])}
      ><Icon name="plus" size={13} /> Reel</Button
    >
  </Heading>
  <ul class="max-h-28 overflow-y-auto pb-1">
    {#each project?.reels ?? [] as one (one.id)}
      <li
        class={[
          "flex items-center gap-2 pr-1 pl-3.5",
          one.id === shot.id && "bg-card shadow-[inset_3px_0_0_var(--color-ink)]",
        ]}
      >
        <a
          class="min-w-0 flex-1 truncate py-0.5 text-inherit no-underline"
          href={`#/shot/${one.id}`}
          aria-current={one.id === shot.id ? "page" : undefined}>{one.name}</a
        >
        <span class="font-mono text-[11px] text-quiet"
          >{one.pieces} · {Math.round(one.frames / one.fps)} s</span
        >
        <Menu
          name={`More for ${one.name}`}
          choices={choicesOf({ things: "shots", id: one.id, name: one.name }, load)}
        />
      </li>
    {/each}
  </ul>
  <p class="flex flex-wrap items-center gap-x-1.5 px-3 pb-1.5 text-xs">
    <span class="text-quiet">Timeline file:</span>
    <Button kind="bare" onclick={() => (opening = true)}>Open …</Button>
    {#if shot.reel!.pieces.length}
      <a class="btn-bare" href={api.timeline(shot.id, "otio")} download>.otio</a>
      <a class="btn-bare" href={api.timeline(shot.id, "edl")} download>.edl</a>
    {/if}
  </p>
</section>
{#if project}<OpenTimeline {project} bind:open={opening} />{/if}
