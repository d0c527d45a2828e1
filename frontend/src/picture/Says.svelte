<script lang="ts">
  import type { Desk, Drawn } from "../lib/desk.svelte";
  import { follow } from "../lib/keys";
  import type { Point } from "./strokes";

  /** What the picture has to say: why following halted, and what to draw next. */
  let {
    desk,
    shaping,
    marked,
  }: {
    desk: Desk;
    shaping: { kind: Drawn; points: Point[] } | null;
    marked: boolean;
  } = $props();
  const shot = $derived(desk.shot);
  const here = $derived(shot.frame(desk.trace?.id, desk.frame));
  const halt = $derived(desk.halt);
  // following came from the side on which there is a matte
  const way = $derived(shot.frame(desk.trace?.id, desk.frame - 1)?.blob ? 1 : -1);
</script>

{#if halt}
  <div class="halt" class:low={halt.y < shot.about!.plate.height / 2} role="alert">
    <p><strong>Halted: {halt.reason}.</strong> {halt.advice}</p>
    <div>
      <button class="btn" onclick={() => (desk.tool = "in")}>Mark here</button>
      <button class="btn" disabled={!!shot.following} onclick={() => follow(desk, way)}
        >It is right: follow {way > 0 ? "on" : "back"}</button
      >
      <button
        class="btn"
        disabled={!!shot.following}
        title={`The shape of frame ${shot.doc!.first_number + desk.frame - way}, moved along, stays for this frame`}
        onclick={() => follow(desk, way, desk.frame - way)}>Take the last shape and flow on</button
      >
    </div>
  </div>
{:else if shaping && (shaping.kind === "polygon" || shaping.kind === "curve")}
  <p class="say">
    {shaping.points.length < 3
      ? "Press for each further point."
      : "Press the first point, double-click or Enter to close. Backspace takes a point back."}
  </p>
{:else if desk.shaping && !desk.shaping.shapes.length && !shaping}
  <p class="say">Choose a shape on the left and draw it over the picture.</p>
{:else if desk.tool === "sample"}
  <p class="say">
    Drag over the colour. With Shift it is added to the range, with Alt it is taken away.
  </p>
{:else if desk.marking && !here && !marked && desk.mode !== "result" && desk.trace?.marks?.length}
  <p class="say">This frame has no matte yet: follow to it, or mark it.</p>
{/if}

<style>
  .say,
  .halt {
    position: absolute;
    left: 50%;
    top: 12px;
    translate: -50%;
    max-width: 78%;
    background: var(--card);
    border: 1px solid var(--ink);
    border-radius: 6px;
    padding: 7px 12px;
    margin: 0;
    box-shadow: 0 3px 14px rgb(0 0 0 / 0.35);
  }
  .say {
    top: auto;
    bottom: 12px;
    pointer-events: none;
  }
  .halt {
    border-left: 5px solid var(--red);
    cursor: default;
  }
  /* never over the place that it speaks of */
  .halt.low {
    top: auto;
    bottom: 12px;
  }
  .halt p {
    margin: 0 0 6px;
  }
  .halt div {
    display: flex;
    gap: 6px;
  }
</style>
