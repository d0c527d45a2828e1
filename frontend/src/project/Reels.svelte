<!-- The reels of a project: opened, made anew, or made of a timeline file. -->
<script lang="ts">
  import type { ProjectOut } from "../lib/api-types";
  import { ago } from "../lib/format";
  import { choicesOf } from "../lib/things";
  import { newReel } from "../reel/make";
  import OpenTimeline from "../reel/OpenTimeline.svelte";
  import Button from "../ui/Button.svelte";
  import Menu from "../ui/Menu.svelte";

  let { project, changed }: { project: ProjectOut; changed: () => void } = $props();
  let opening = $state(false);

  const all = $derived(project.shots.map((one) => one.id).sort((a, b) => a - b));
</script>

<div class="mb-3 flex min-h-8 flex-wrap items-center gap-2">
  <Button kind="main" onclick={() => newReel(project.id, [])}>+ Reel</Button>
  {#if project.shots.length}<Button onclick={() => newReel(project.id, all)}
      >+ Reel of all shots in order</Button
    >{/if}
  <Button onclick={() => (opening = true)}>Open a timeline file …</Button>
</div>
<ul class="grid grid-cols-[repeat(auto-fill,minmax(230px,1fr))] gap-x-4.5 gap-y-5">
  {#each project.reels as reel (reel.id)}
    <li class="relative">
      <a class="group grid text-inherit no-underline" href={`#/shot/${reel.id}`}>
        <span
          class="mb-1.5 block aspect-video overflow-hidden border-y-7 border-film bg-film outline-2 outline-transparent group-hover:outline-ink"
          ><img
            class="size-full object-cover"
            src={reel.picture}
            alt={`A frame of ${reel.name}`}
          /></span
        >
        <strong class="truncate font-semibold">{reel.name}</strong>
        <span class="pr-7 text-quiet"
          >{reel.pieces === 1 ? "1 piece" : `${reel.pieces} pieces`} · {(
            reel.frames / reel.fps
          ).toFixed(1)} s · {Math.round(reel.fps * 100) / 100} fps</span
        >
        <span class="pr-7 text-quiet">{ago(reel.updated)}</span>
      </a>
      <Menu
        name={`More for ${reel.name}`}
        class="absolute right-0 bottom-0"
        choices={choicesOf({ things: "shots", id: reel.id, name: reel.name }, changed)}
      />
    </li>
  {:else}
    <li class="col-span-full text-quiet">
      No reel yet. A reel lays shots one after the other, with moves and joins, and is exported as
      one.
    </li>
  {/each}
</ul>
<OpenTimeline {project} bind:open={opening} />
