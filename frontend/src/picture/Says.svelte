<script lang="ts">
  import { fewest } from "./gestures.svelte";
  import type { Desk } from "../desk/desk.svelte";
  import type { Drawn } from "../desk/tools.svelte";
  import Button from "../ui/Button.svelte";
  import { follow } from "../desk/deeds";
  import type { Point } from "./strokes";

  /** What the picture has to say: why following halted, and what to draw next. */
  let {
    desk,
    shaping,
    marked,
    corners,
  }: {
    desk: Desk;
    shaping: { kind: Drawn; points: Point[] } | null;
    marked: boolean;
    corners: number;
  } = $props();
  const BOX =
    "absolute left-1/2 max-w-[78%] -translate-x-1/2 rounded-md border border-ink bg-card px-3 py-1.5 shadow-float";
  const shot = $derived(desk.shot);
  const here = $derived(shot.frame(desk.selection.trace?.id, desk.playback.seen));
  const MARKS = {
    point: "Press on a thing: a mark, a corner, an eye.",
    region: "Drag a line round what is to be followed.",
    camera: "",
    patch: "Press the four corners of something flat, or drag a box over it.",
  };
  const halt = $derived(desk.halt);
  const trackWay = $derived(
    shot.framesOf(desk.selection.track?.id).has(desk.playback.seen - 1) ? 1 : -1,
  );
  // following came from the side on which there is a matte
  const way = $derived(shot.frame(desk.selection.trace?.id, desk.playback.seen - 1)?.blob ? 1 : -1);
</script>

{#if halt}
  <div
    class={[
      BOX,
      "halt cursor-default border-l-5 border-l-red",
      // never over the place that it speaks of
      halt.y < shot.about.plate.height / 2 ? "bottom-3" : "top-3",
    ]}
    role="alert"
  >
    <p class="mb-1.5"><strong>Halted: {halt.reason}.</strong> {halt.advice}</p>
    <div class="flex gap-1.5">
      {#if desk.selection.track}
        <Button disabled={!!shot.following} onclick={() => follow(desk, trackWay)}
          >Look further {trackWay > 0 ? "on" : "back"}</Button
        >
      {:else}
        <Button onclick={() => (desk.tools.tool = "in")}>Mark here</Button>
        <Button disabled={!!shot.following} onclick={() => follow(desk, way)}
          >It is right: follow {way > 0 ? "on" : "back"}</Button
        >
        <Button
          disabled={!!shot.following}
          title={`The shape of frame ${shot.doc.first_number + desk.playback.seen - way}, moved along, stays for this frame`}
          onclick={() => follow(desk, way, desk.playback.seen - way)}
          >Take the last shape and flow on</Button
        >
      {/if}
    </div>
  </div>
{:else if desk.tools.newTrack}
  <p class={[BOX, "pointer-events-none bottom-3"]}>
    {MARKS[desk.tools.newTrack]}
    {corners ? `${4 - corners} to go; Backspace takes one back.` : ""}
  </p>
{:else if desk.tools.tool === "stand"}
  <p class={[BOX, "pointer-events-none bottom-3"]}>
    Press where {desk.selection.plane?.name}
    {desk.standing === "upright" ? "stands, at its foot" : `lies ${desk.standing}`}.
  </p>
{:else if desk.tools.sparing}
  <p class={[BOX, "pointer-events-none bottom-3"]}>
    {desk.tools.tool === "spare"
      ? "Press or brush over what the track is not to look at; then follow it anew."
      : "Brush over what it is to look at as well; then follow it anew."}
  </p>
{:else if shaping && !["ellipse", "box"].includes(shaping.kind)}
  <p class={[BOX, "pointer-events-none bottom-3"]}>
    {shaping.points.length < fewest(shaping.kind)
      ? "Press for each further point."
      : shaping.kind === "line"
        ? "Double-click or Enter to end the line. Backspace takes a point back."
        : "Press the first point, double-click or Enter to close. Backspace takes a point back."}
  </p>
{:else if desk.tools.shaping && !desk.tools.shaping.shapes.length && !shaping}
  <p class={[BOX, "pointer-events-none bottom-3"]}>
    Choose a shape on the left and draw it over the picture.
  </p>
{:else if desk.tools.tool === "sample"}
  <p class={[BOX, "pointer-events-none bottom-3"]}>
    Drag over the colour. With Shift it is added to the range, with Alt it is taken away.
  </p>
{:else if desk.tools.marking && !here && !marked && desk.view.mode !== "result" && desk.selection.trace?.marks?.length}
  <p class={[BOX, "pointer-events-none bottom-3"]}>
    This frame has no matte yet: follow to it, or mark it.
  </p>
{/if}
