<script lang="ts">
  import { onMount, untrack } from "svelte";
  import Arriving from "./lib/Arriving.svelte";
  import { Desk } from "./lib/desk.svelte";
  import { listen } from "./lib/events";
  import { pressed, released } from "./lib/keys";
  import KeySheet from "./lib/KeySheet.svelte";
  import { notes } from "./lib/notes.svelte";
  import { ShotStore } from "./lib/shot.svelte";
  import TopBar from "./TopBar.svelte";
  import Bench from "./bench/Bench.svelte";
  import Versions from "./versions/Versions.svelte";
  import Exports from "./export/Exports.svelte";
  import Footage from "./footage/Footage.svelte";
  import Picture from "./picture/Picture.svelte";
  import Transport from "./picture/Transport.svelte";
  import Sheet from "./sheet/Sheet.svelte";
  import Mattes from "./stand/Mattes.svelte";
  import Stand from "./stand/Stand.svelte";

  let { id }: { id: number } = $props();
  const shot = new ShotStore();
  let desk = $state.raw<Desk | null>(null);
  const catalogue = $derived(desk && shot.catalogue);
  let fault = $state("");

  onMount(() => {
    void shot
      .open(id)
      .then(() => (desk = new Desk(shot)))
      .catch((error) => (fault = String(error.message ?? error)));
    return listen(
      (event) => shot.told(event),
      (up) => {
        if (up && !shot.online) notes.add("Connected again.");
        shot.online = up;
      },
    );
  });

  // a new picture whenever the work, the view or its size has changed
  $effect(() => {
    if (!desk) return;
    void shot.version;
    const [view, width] = [desk.view, desk.width];
    untrack(() => void desk!.pictures.refresh(view, width, desk!.frame, shot.count));
  });

  $effect(() => {
    const view = desk?.besideView;
    if (!desk || !view) return;
    void shot.version;
    const [width, version] = [desk.width, desk.split?.version?.id ?? null];
    untrack(() => void desk!.beside.refresh(view, width, desk!.frame, shot.count, version));
  });

  $effect(() => {
    if (!desk) return;
    void shot.version;
    const matte = desk.matteId;
    untrack(() => {
      desk!.checks.again(matte);
      void shot.compare();
    });
  });

  // the picture goes along while a follow works, and to the place where it halts
  $effect(() => {
    const arrived = shot.arrived;
    if (!desk || !arrived || !shot.following) return;
    untrack(() => {
      if (desk!.playing || desk!.trace?.id !== arrived.pull) return;
      desk!.frame = arrived.frame;
      if (desk!.mode === "result") desk!.mode = "veil";
      void desk!.pictures.refresh(desk!.view, desk!.width, arrived.frame, shot.count);
    });
  });
  $effect(() => {
    const halted = shot.halted;
    if (!desk || !halted) return;
    untrack(() => {
      desk!.stop();
      desk!.frame = halted.frame;
      if (desk!.mode === "result") desk!.mode = "veil";
      void desk!.pictures.refresh(desk!.view, desk!.width, halted.frame, shot.count);
      shot.halted = null;
    });
  });
</script>

<svelte:head><title>{shot.doc ? `${shot.doc.name} · Cuvrel` : "Cuvrel"}</title></svelte:head>
<svelte:window
  onkeydown={(event) => desk && pressed(desk, event)}
  onkeyup={(event) => desk && released(desk, event)}
  onblur={() => desk && (desk.bare = desk.plain = false)}
/>

{#if desk && catalogue && shot.doc}
  <div class="desk" style:--bench={`${desk.benchHeight}px`}>
    <TopBar {desk} />
    <Sheet {desk} />
    <main>
      <Picture {desk} />
      <Transport {desk} />
      <Bench {desk} />
      {#if desk.slide === "footage"}<Footage {desk} />{/if}
    </main>
    <aside aria-label="Stand and mattes">
      <Stand {desk} {catalogue} />
      <Mattes {desk} {catalogue} />
      {#if desk.slide === "exports"}<Exports {desk} {catalogue} />{/if}
      {#if desk.slide === "versions"}<Versions {desk} />{/if}
    </aside>
  </div>
  <KeySheet {desk} />
  <Arriving {desk} />
{:else}
  <main class="empty">
    {#if fault}
      <p role="alert">{fault}</p>
      <a class="btn" href="#/">Back to the projects</a>
    {:else}
      <p>Opening the shot …</p>
    {/if}
  </main>
{/if}

<style>
  .desk {
    display: grid;
    height: 100%;
    grid-template: 40px minmax(0, 1fr) / 228px minmax(0, 1fr) 268px;
  }
  main {
    position: relative;
    display: grid;
    grid-template-rows: minmax(0, 1fr) 34px var(--bench);
    min-width: 0;
  }
  aside {
    position: relative;
    display: grid;
    grid-template-rows: minmax(0, 1fr) auto;
    min-height: 0;
    background: var(--stand);
    border-left: 1px solid var(--rule);
  }
  .empty {
    display: grid;
    place-content: center;
    place-items: center;
    gap: 12px;
    height: 100%;
  }
  @media (min-width: 1700px) {
    .desk {
      grid-template-columns: 280px minmax(0, 1fr) 330px;
    }
  }
</style>
