<!-- The desk of an open shot: the sheet, the picture, the bench, the stand; and what follows from what happens. -->
<script lang="ts">
  import { untrack } from "svelte";
  import type { Desk } from "./desk/desk.svelte";
  import { pressed, released } from "./desk/shortcuts";
  import Arriving from "./lib/Arriving.svelte";
  import Standing from "./lib/Standing.svelte";
  import KeySheet from "./lib/KeySheet.svelte";
  import TopBar from "./TopBar.svelte";
  import Bench from "./bench/Bench.svelte";
  import Versions from "./versions/Versions.svelte";
  import Exports from "./export/Exports.svelte";
  import Footage from "./footage/Footage.svelte";
  import SwapPlate from "./footage/SwapPlate.svelte";
  import LayLook from "./looks/LayLook.svelte";
  import SaveLook from "./looks/SaveLook.svelte";
  import People from "./people/People.svelte";
  import Picture from "./picture/Picture.svelte";
  import Transport from "./picture/Transport.svelte";
  import Cuts from "./sound/Cuts.svelte";
  import Sound from "./sound/Sound.svelte";
  import ReelSheet from "./reel/Sheet.svelte";
  import ReelSide from "./reel/Side.svelte";
  import Sheet from "./sheet/Sheet.svelte";
  import Mattes from "./stand/Mattes.svelte";
  import Stand from "./stand/Stand.svelte";
  import Strip from "./stand/Strip.svelte";
  import Tracks from "./stand/Tracks.svelte";

  let { desk }: { desk: Desk } = $props();
  const { shot, playback, view } = $derived(desk);

  // a new picture whenever the work, the view or its size has changed
  $effect(() => {
    void shot.version;
    const [wanted, width] = [view.wanted, playback.width];
    untrack(() => void playback.pictures.refresh(wanted, width, playback.frame, shot.count));
  });

  $effect(() => {
    const wanted = view.beside;
    if (!wanted) return;
    void shot.version;
    const [width, version] = [playback.width, view.split?.version?.id ?? null];
    untrack(() => void playback.beside.refresh(wanted, width, playback.frame, shot.count, version));
  });

  $effect(() => {
    void shot.version;
    const matte = desk.selection.matteId;
    const take = desk.selection.take?.id ?? null;
    untrack(() => {
      desk.checks.again(matte, take);
      void shot.compare();
    });
  });

  // which shots lie in it
  $effect(() => {
    void shot.doc.footage;
    untrack(() => desk.inside.again());
  });

  // another plate may be shorter
  $effect(() => {
    if (playback.frame >= shot.count) untrack(() => playback.go(shot.count - 1));
  });

  // where tracks are is told anew when they, or what is measured of them, have changed
  const tracks = $derived(JSON.stringify(shot.serverTracks));
  $effect(() => {
    void [tracks, shot.arrived, shot.frames];
    untrack(() => desk.motions.again());
  });

  // what is heard follows from the document and from the plate's own sound
  const sounding = $derived(
    JSON.stringify([
      shot.doc.sound,
      shot.doc.plate,
      shot.doc.format.fps,
      shot.doc.planes.map((plane) => [plane.kind, plane.on, plane.time]),
      shot.reel?.pieces.map((one) => [one.shot, one.first, one.last, one.fitting, one.join]),
      Object.values(desk.inside.shots).map((one) => [one.picture, one.state]),
    ]),
  );
  $effect(() => {
    void sounding;
    const later = setTimeout(() => void playback.heard.again(), 150);
    return () => clearTimeout(later);
  });

  function show(frame: number) {
    playback.frame = frame;
    if (view.mode === "result" && !desk.selection.track) view.mode = "veil";
    void playback.pictures.refresh(view.wanted, playback.width, frame, shot.count);
  }

  // the picture goes along while a follow works, and to the place where it halts
  $effect(() => {
    const arrived = shot.arrived;
    if (!arrived || !shot.following) return;
    untrack(() => {
      if (!playback.playing && desk.selection.followed === arrived.pull) show(arrived.frame);
    });
  });
  $effect(() => {
    const halted = shot.halted;
    if (!halted) return;
    untrack(() => {
      playback.stop();
      show(halted.frame);
      shot.halted = null;
    });
  });
</script>

<svelte:window
  onkeydown={(event) => pressed(desk, event)}
  onkeyup={(event) => released(desk, event)}
  onblur={() => (view.bare = view.plain = false)}
/>

<div
  class={[
    "grid h-full grid-cols-[228px_minmax(0,1fr)_var(--side)] grid-rows-[40px_minmax(0,1fr)] min-[1700px]:grid-cols-[280px_minmax(0,1fr)_var(--side)]",
    desk.slide === "none"
      ? "[--side:268px] min-[1700px]:[--side:330px]"
      : "[--side:340px] max-[1100px]:[--side:316px] min-[1700px]:[--side:400px]",
  ]}
>
  <TopBar {desk} />
  {#if shot.reel}<ReelSheet {desk} />{:else}<Sheet {desk} />{/if}
  <main
    class="relative grid min-w-0 grid-rows-[auto_minmax(0,1fr)_34px_var(--bench)]"
    style:--bench={`${desk.benchHeight}px`}
  >
    <div><Standing /></div>
    <Picture {desk} />
    <Transport {desk} />
    <Bench {desk} />
  </main>
  <aside
    aria-label={shot.reel ? "Shots, reels and what lies over all" : "Stand, mattes and tracks"}
    class={[
      "relative grid min-h-0 border-l border-rule bg-stand",
      desk.slide === "none"
        ? "grid-cols-[minmax(0,1fr)] grid-rows-[minmax(0,1fr)_auto_auto]"
        : "grid-cols-[48px_minmax(0,1fr)] grid-rows-[minmax(0,1fr)]",
    ]}
  >
    {#if desk.slide === "none" && shot.reel}
      <ReelSide {desk} />
    {:else if desk.slide === "none"}
      <Stand {desk} />
      <Mattes {desk} />
      <Tracks {desk} />
    {:else}
      <Strip {desk} />
      {#if desk.slide === "footage"}<Footage {desk} />
      {:else if desk.slide === "exports"}<Exports {desk} />
      {:else if desk.slide === "people"}<People {desk} />
      {:else if desk.slide === "sound"}<Sound {desk} />
      {:else if desk.slide === "cuts"}<Cuts {desk} />
      {:else if desk.slide === "versions"}<Versions {desk} />{/if}
    {/if}
  </aside>
</div>
<KeySheet {desk} />
<Arriving {desk} />
<LayLook {desk} />
<SaveLook {desk} />
<SwapPlate {desk} />
