<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import { says } from "../desk/checks.svelte";
  import Icon from "../lib/Icon.svelte";
  import { innerFrame, pieceAt, wayInto } from "../lib/reel";
  import Progress from "../ui/Progress.svelte";
  import NextStep from "./NextStep.svelte";
  import Viewed from "./Viewed.svelte";

  let { desk }: { desk: Desk } = $props();
  const PRESS = "rounded px-1.5 py-0.5 hover:enabled:bg-[#555] disabled:text-[#b0aca4]";
  const shot = $derived(desk.shot);
  const first = $derived(shot.doc.first_number);
  const fps = $derived(Math.round(shot.about.plate.fps * 1000) / 1000);
  const doubts = $derived(
    new Set([
      ...desk.doubtful(desk.selection.followed),
      ...[...desk.checks.found.values()]
        .filter((c) => c.problems.length && shot.inRange(c.frame))
        .map((c) => c.frame),
    ]).size,
  );
  const span = $derived(desk.playback.last - desk.playback.first + 1);
  const come = $derived(
    desk.playback.playing
      ? desk.playback.pictures.count(desk.playback.first, desk.playback.last)
      : span,
  );
  /** Of a reel: the piece that is seen, and its shot. */
  const piece = $derived(pieceAt(shot.laid, desk.playback.seen));
  const there = $derived(piece && desk.inside.shots[piece.piece.shot]);
  const here = $derived(says(desk.checks.found.get(desk.playback.frame)));
</script>

<div
  class="flex items-center gap-2.5 overflow-hidden bg-rail px-3 text-[12.5px] whitespace-nowrap text-[#e4e1da]"
  role="group"
  aria-label="Playback"
>
  <button
    class={PRESS}
    aria-label={desk.playback.playing ? "Stop" : "Play"}
    title="Play and stop (Space)"
    onclick={() => desk.playback.toggle()}
  >
    <Icon name={desk.playback.playing ? "stop" : "play"} size={15} />
  </button>
  <output class="number font-mono text-base font-medium text-white" aria-label="Frame"
    >{first + desk.playback.frame}</output
  >
  <button
    class={PRESS}
    disabled={!desk.playback.heard.there}
    aria-label="Heard with the picture"
    aria-pressed={desk.playback.heard.on}
    title={desk.playback.heard.there ? "Sound while playing" : "This shot has no sound"}
    onclick={() => desk.playback.heard.turn(!desk.playback.heard.on)}
  >
    <Icon
      name={desk.playback.heard.on && desk.playback.heard.there ? "sound" : "quiet"}
      size={15}
    />
  </button>
  <span class="flex-none max-[1100px]:hidden" title={`Frames of the range, at ${fps} a second`}
    >{first + shot.range[0]}–{first + shot.range[1]} · {fps}</span
  >
  {#if desk.playback.loop}
    <button
      class={[PRESS, "text-[#a9d6f5]"]}
      title={desk.playback.swings ? "There and back; end it (Escape)" : "End the loop (Escape)"}
      onclick={() => (desk.playback.loop = null)}
      >{desk.playback.swings ? "⇄" : "loop"}
      {first + desk.playback.loop[0]}–{first + desk.playback.loop[1]} ✕</button
    >
  {/if}
  {#if come < span && span <= desk.playback.pictures.room}
    <span class="filling flex items-center gap-1.5" role="status">
      <Progress class="w-17" share={come / span} name="Frames that are here" />
      {come} of {span} frames
    </span>
  {/if}
  <span class={["min-w-0 truncate text-[#ffb9ab]", here ? "flex-1" : "ml-auto"]} title={here}
    >{here}</span
  >
  {#if piece && there}
    <span class="min-w-0 truncate" aria-label="Where in its shot"
      >{there.name} ·
      <span class="font-mono">{there.first_number + innerFrame(piece, desk.playback.seen)}</span
      ></span
    >
    <a
      class={PRESS}
      title="Open the shot at this frame (twice on the sheet)"
      href={wayInto(there.id, piece, shot.id, desk.playback.seen)}>open this shot ↩</a
    >
  {/if}
  {#if !desk.playback.playing && !shot.reel}<NextStep {desk} />{/if}
  <Viewed {desk} />
  <button
    class={PRESS}
    title="Full size shows every pixel of the plate; half the work otherwise"
    aria-pressed={desk.view.full}
    onclick={() => (desk.view.full = !desk.view.full)}
    >{desk.view.full ? "full size" : `${desk.playback.width} px`}</button
  >
  {#if !shot.reel}<button
      class={PRESS}
      disabled={!desk.selection.matteId && !desk.selection.track && !desk.selection.take}
      title="Next problem or touch (Page Down)"
      aria-label={doubts ? `${doubts} to look at` : "Next touch"}
      onclick={() => desk.problem(1)}
      >{doubts || ""}<span class="max-[1100px]:hidden">{doubts ? " to look at" : "touch"}</span> ↓</button
    >{/if}
</div>
