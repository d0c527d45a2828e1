<!-- A shot: loaded, then worked on. -->
<script lang="ts">
  import { onMount } from "svelte";
  import AtWork from "./AtWork.svelte";
  import { Desk } from "./desk/desk.svelte";
  import { listen, type Event } from "./lib/events";
  import { notes } from "./lib/notes.svelte";
  import { ShotStore } from "./lib/shot.svelte";

  let { id }: { id: number } = $props();
  let desk = $state.raw<Desk | null>(null);
  let fault = $state("");

  onMount(() => {
    // what is told before the shot has come is newer than the shot
    const early: Event[] = [];
    void ShotStore.open(id, early)
      .then((shot) => (desk = new Desk(shot)))
      .catch((error) => (fault = String(error.message ?? error)));
    return listen(
      (event) => (desk ? desk.shot.told(event) : early.push(event)),
      (up) => {
        if (!desk) return;
        if (up && !desk.shot.online) notes.add("Connected again.");
        desk.shot.online = up;
      },
    );
  });
</script>

<svelte:head><title>{desk ? `${desk.shot.doc.name} · Cuvrel` : "Cuvrel"}</title></svelte:head>

{#if desk}
  <AtWork {desk} />
{:else}
  <main class="grid h-full place-content-center place-items-center gap-3">
    {#if fault}
      <p role="alert">{fault}</p>
      <a class="btn" href="#/">Back to the projects</a>
    {:else}
      <p>Opening the shot …</p>
    {/if}
  </main>
{/if}
