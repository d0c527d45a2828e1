<!-- The frame as it is looked at, and what lies over it for the hand. -->
<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import Button from "../ui/Button.svelte";
  import Tools from "./Tools.svelte";
  import Handles from "./Handles.svelte";
  import Overlay from "./Overlay.svelte";
  import Split from "./Split.svelte";
  import PlaceTools from "./PlaceTools.svelte";
  import Placing from "./Placing.svelte";
  import Frame from "./Frame.svelte";
  import { Framing } from "./framing.svelte";
  import { Gestures } from "./gestures.svelte";
  import Shapes from "./Shapes.svelte";
  import ShapeTools from "./ShapeTools.svelte";
  import RidePick from "./RidePick.svelte";
  import Says from "./Says.svelte";
  import TrackTools from "./TrackTools.svelte";
  import InScene from "./InScene.svelte";
  import Tracks from "./Tracks.svelte";

  let { desk }: { desk: Desk } = $props();
  const { shot, view, tools, playback } = $derived(desk);
  let box = $state<HTMLDivElement>();
  const framing = new Framing(
    () => shot.about.plate,
    () => box!,
  );
  // svelte-ignore state_referenced_locally (a component never changes its desk)
  const hand = new Gestures(desk, framing);
  const { scale, left, top } = $derived(framing);
  const marks = $derived(
    tools.marking && view.mode !== "result"
      ? (desk.selection.trace?.marks?.filter((m) => m.frame === playback.seen) ?? [])
      : [],
  );
  const at = (event: PointerEvent | WheelEvent | MouseEvent) => framing.at(event);

  $effect(() => {
    if (!box) return;
    const watch = new ResizeObserver(
      () => (framing.room = { width: box!.clientWidth, height: box!.clientHeight }),
    );
    watch.observe(box);
    return () => watch.disconnect();
  });

  $effect(() => {
    if (tools.newTrack !== "patch") hand.corners = [];
  });

  // a shape under way belongs to the tool that it was begun with
  $effect(() => {
    if (hand.shaping && hand.shaping.kind !== tools.tool) hand.shaping = null;
  });

  function down(event: PointerEvent) {
    // what lies over the picture (tools, a halt, the zoom) is pressed, not drawn on
    const on = event.target as HTMLElement;
    if (on === box || "picture" in on.dataset) hand.down(event);
  }
  /** The camera whose scene is shown: the selected one, or that in which the selected plane stands. */
  const inScene = $derived(
    desk.selection.track?.kind === "camera"
      ? desk.selection.track
      : desk.shot.track(desk.selection.plane?.card?.track),
  );
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions (the picture takes the pointer; all else has keys) -->
<div
  class={[
    "relative min-h-0 touch-none overflow-hidden bg-surround focus-visible:-outline-offset-2",
    hand.draws && "cursor-crosshair",
  ]}
  role="region"
  aria-label="Picture"
  tabindex="0"
  bind:this={box}
  onpointerdown={down}
  onpointermove={(e) => hand.move(e)}
  onpointerup={(e) => hand.up(e)}
  onpointercancel={(e) => hand.cancel(e)}
  ondblclick={() => hand.close()}
  onkeydown={(e) => hand.key(e)}
  onpointerleave={() => (hand.pointer = null)}
  onwheel={(e) => framing.wheel(e)}
  data-view={view.wanted.kind}
  data-edged={"edged" in view.wanted ? view.wanted.edged : undefined}
  data-pulls={"pulls" in view.wanted ? view.wanted.pulls : undefined}
  data-scale={scale}
  data-left={left}
  data-top={top}
>
  <Frame pictures={playback.pictures} {framing} name="Frame as it is shown" />
  {#if view.split}
    <Frame
      pictures={playback.beside}
      {framing}
      name="The other view of the split"
      from={view.splitAt}
    />
    <Split {desk} x={left + view.splitAt * framing.width} {left} width={framing.width} />
  {/if}
  <Overlay
    shaping={hand.shaping}
    {marks}
    drawing={hand.drawing}
    halt={desk.halt}
    sampled={hand.sampled}
    brushed={hand.brushed}
    corners={hand.corners}
    radius={tools.brush}
    pointer={hand.brushAt}
    {scale}
    {left}
    {top}
  />
  {#if tools.placing}
    <Placing {desk} plane={tools.placing} {scale} {left} {top} {at} />
  {/if}
  <Handles {desk} {scale} {left} {top} {at} />
  {#if inScene && !desk.riding && view.mode !== "unroll"}
    <InScene {desk} track={inScene} plane={desk.selection.plane} {scale} {left} {top} {at} />
  {:else if desk.selection.track && !desk.riding && view.mode !== "unroll"}
    <Tracks {desk} track={desk.selection.track} {scale} {left} {top} {at} />
  {/if}
  {#if tools.shaping}<Shapes {desk} {scale} {left} {top} {at} />{/if}
  {#if desk.selection.track && desk.selection.track.kind !== "camera"}<TrackTools
      {desk}
    />{:else if tools.marking}<Tools {desk} />{:else if tools.shaping}<ShapeTools
      {desk}
    />{:else if tools.placeable}<PlaceTools {desk} />{/if}
  <div
    class="absolute right-2 bottom-2 flex items-center gap-0.5 rounded bg-[#1e1e1e]/80 px-1.5 py-0.5 text-xs text-white"
  >
    {#each [{ name: "fit", on: framing.zoom === 0, run: () => (framing.zoom = 0) }, { name: "1:1", on: framing.zoom === 1, run: () => framing.full() }] as one (one.name)}
      <Button
        kind="bare"
        class="text-white! aria-pressed:bg-white! aria-pressed:text-film!"
        aria-pressed={one.on}
        onclick={one.run}>{one.name}</Button
      >
    {/each}
    <span data-zoom>{Math.round(scale * 100)} %</span>
  </div>
  {#if desk.riding}
    <RidePick {desk} {scale} {left} {top} {at} />
  {:else}
    <Says {desk} shaping={hand.shaping} marked={!!marks.length} corners={hand.corners.length} />
  {/if}
</div>
