<!-- A shot: loaded, then worked on. -->
<script lang="ts">
  import { onMount } from "svelte";
  import AtWork from "./AtWork.svelte";
  import { api, Problem } from "./lib/api";
  import type { History } from "./lib/api-types";
  import Dropping from "./lib/Dropping.svelte";
  import type { Dropped } from "./footage/uploads.svelte";
  import { Desk } from "./desk/desk.svelte";
  import { listen, type Event } from "./lib/events";
  import { notes } from "./lib/notes.svelte";
  import { ShotStore } from "./lib/shot.svelte";

  type Props = {
    id: number;
    /** The frame that it opens at. */
    frame?: number | null;
    /** The reel that it was opened from, and the frame there. */
    from?: [number, number] | null;
  };
  let { id, frame = null, from = null }: Props = $props();
  let desk = $state.raw<Desk | null>(null);
  let fault = $state("");
  /** What can be taken back of a shot that can't be opened. */
  let last = $state<string | null>(null);
  // what is told before the shot has come is newer than the shot
  const early: Event[] = [];

  function open(): void {
    void ShotStore.open(id, early)
      .then((shot) => {
        const made = new Desk(shot, from);
        if (frame !== null) made.playback.frame = Math.min(frame, shot.count - 1);
        desk = made;
      })
      .catch((error) => {
        fault = String(error.message ?? error);
        const history = error instanceof Problem ? error.body.history : null;
        last = history ? (history as History).undo : null;
      });
  }

  /** Into the shot's project, whose footage takes them from the desk and shows how far they are. */
  function bring(files: Dropped[]): void {
    if (!desk) return;
    desk.dropped = files;
    desk.slide = "footage";
  }

  async function takeBack(): Promise<void> {
    try {
      await api.undo(id);
      fault = "";
      open();
    } catch (error) {
      fault = String((error as Error).message ?? error);
    }
  }

  onMount(() => {
    open();
    return listen(
      (event) => (desk ? desk.told(event) : early.push(event)),
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
  <Dropping class="h-full" onfiles={bring}><AtWork {desk} /></Dropping>
{:else}
  <main class="grid h-full place-content-center place-items-center gap-3">
    {#if fault}
      <p role="alert" class="max-w-prose text-center">{fault}</p>
      {#if last}
        <p>The last change was “{last}”.</p>
        <button class="btn" onclick={takeBack}>Take it back</button>
      {/if}
      <a class="btn" href="#/">Back to the projects</a>
    {:else}
      <p>Opening the shot …</p>
    {/if}
  </main>
{/if}
