<!-- What is selected, as a row of cards in the order in which it is computed. -->
<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import PieceCards from "../reel/PieceCards.svelte";
  import PieceHead from "../reel/PieceHead.svelte";
  import DragArea from "../lib/DragArea.svelte";
  import BenchHead from "./BenchHead.svelte";
  import Curves from "./Curves.svelte";
  import MatteCards from "./MatteCards.svelte";
  import { dropped } from "./places";
  import PlaneCards from "./PlaneCards.svelte";
  import Shelf from "./Shelf.svelte";
  import CameraCards from "./CameraCards.svelte";
  import TrackCards from "./TrackCards.svelte";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  const matte = $derived(
    desk.selection.thing?.kind === "matte" ? shot.matte(desk.selection.thing.id) : undefined,
  );
  const plane = $derived(
    desk.selection.thing?.kind === "plane" ? shot.plane(desk.selection.thing.id) : undefined,
  );
  const track = $derived(desk.selection.track);
  const piece = $derived(shot.laid[desk.selection.piece]);
  let width = $state(0);
  let height = $state(0);
  let grip: { y: number; height: number } | null = null;

  // another matte is looked at whole
  $effect(() => {
    void desk.selection.matteId;
    desk.view.upTo = null;
  });

  function drag(event: PointerEvent) {
    if (grip) desk.sizeBench(grip.height + grip.y - event.clientY);
  }

  /** Left and right go from spine to spine and card to card. */
  function walk(event: KeyboardEvent) {
    if (event.key !== "ArrowLeft" && event.key !== "ArrowRight") return;
    const spine = (event.target as Element).closest("[data-spine]");
    if (!spine) return;
    const all = [...(event.currentTarget as Element).querySelectorAll<HTMLElement>("[data-spine]")];
    const next = all[all.indexOf(spine as HTMLElement) + (event.key === "ArrowLeft" ? -1 : 1)];
    next?.focus();
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<section
  class="relative grid min-h-0 min-w-0 grid-rows-[31px_minmax(0,1fr)] bg-paper"
  aria-label="Bench"
>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions (a separator that moves is a widget) -->
  <div
    class="absolute -top-1 left-1/2 z-10 h-2.5 w-14 -translate-x-1/2 cursor-row-resize touch-none rounded-full border border-rule bg-paper"
    role="separator"
    tabindex="0"
    aria-orientation="horizontal"
    aria-label="Height of the bench"
    aria-valuenow={desk.benchHeight}
    aria-valuemin={160}
    aria-valuemax={560}
    onpointerdown={(e) => {
      grip = { y: e.clientY, height: desk.benchHeight };
      e.currentTarget.setPointerCapture(e.pointerId);
    }}
    onpointermove={drag}
    onpointerup={() => (grip = null)}
    ondblclick={() => desk.sizeBench(null)}
    onkeydown={(e) => {
      if (e.key !== "ArrowUp" && e.key !== "ArrowDown") return;
      desk.sizeBench(desk.benchHeight + (e.key === "ArrowUp" ? 16 : -16));
      e.preventDefault();
      e.stopPropagation();
    }}
  ></div>
  {#if matte || plane || track || piece}
    {#if piece}
      <PieceHead {desk} laid={piece} before={shot.laid[piece.at - 1]} />
    {:else}
      <BenchHead {desk} {matte} {plane} {track} />
    {/if}
    {#if desk.curves}<Curves {desk} />{/if}
    <!-- svelte-ignore a11y_no_static_element_interactions (its spines take the keys) -->
    <div
      class={[
        "flex min-h-0 items-stretch gap-1.5 overflow-x-auto px-3 py-2",
        desk.curves && "hidden",
      ]}
      bind:clientWidth={width}
      bind:clientHeight={height}
      onkeydown={walk}
    >
      <DragArea onend={dropped}>
        {#if matte}
          <MatteCards {desk} {matte} room={{ width: width - 24, height: height - 16 }} />
        {:else if track?.kind === "camera"}
          <CameraCards {desk} {track} room={{ width: width - 24, height: height - 16 }} />
        {:else if track}
          <TrackCards {desk} {track} room={{ width: width - 24, height: height - 16 }} />
        {:else if piece}
          <PieceCards {desk} laid={piece} room={{ width: width - 24, height: height - 16 }} />
        {:else if plane}
          <PlaneCards {desk} {plane} room={{ width: width - 24, height: height - 16 }} />
        {/if}
      </DragArea>
    </div>
  {:else}
    <p class="col-span-full row-span-full m-4 self-center text-quiet">
      {shot.reel
        ? "Lay a shot in, and choose it on the sheet, to see how it moves and joins here."
        : "Select a plane on the stand, a matte or a track to see its recipe here."}
    </p>
  {/if}
  {#if desk.shelf === "stand"}
    <Shelf {desk} />
  {:else if desk.shelf && (matte || plane)}
    <Shelf {desk} {matte} {plane} />
  {/if}
</section>
