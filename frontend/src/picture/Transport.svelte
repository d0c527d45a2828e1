<script lang="ts">
  import { DOUBTFUL, type Desk } from "../lib/desk.svelte";
  import { says } from "../lib/checks.svelte";
  import Icon from "../lib/Icon.svelte";
  import NextStep from "./NextStep.svelte";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  const first = $derived(shot.doc!.first_number);
  const fps = $derived(Math.round(shot.about!.plate.fps * 1000) / 1000);
  const doubts = $derived(
    new Set([
      ...[...(shot.frames.get(desk.trace?.id ?? "")?.values() ?? [])]
        .filter((f) => f.doubt > DOUBTFUL)
        .map((f) => f.frame),
      ...[...desk.checks.found.values()].filter((c) => c.problems.length).map((c) => c.frame),
    ]).size,
  );
  const span = $derived(desk.last - desk.first + 1);
  const come = $derived(desk.playing ? desk.pictures.count(desk.first, desk.last) : span);
  const here = $derived(says(desk.checks.found.get(desk.frame)));
</script>

<div class="transport" role="group" aria-label="Playback">
  <button
    aria-label={desk.playing ? "Stop" : "Play"}
    title="Play and stop (Space)"
    onclick={() => desk.toggle()}
  >
    <Icon name={desk.playing ? "stop" : "play"} size={15} />
  </button>
  <output class="number" aria-label="Frame">{first + desk.frame}</output>
  <span>of {first + shot.range[0]}–{first + shot.range[1]} · {fps} fps</span>
  {#if desk.loop}
    <button class="loop" title="End the loop (Escape)" onclick={() => (desk.loop = null)}
      >loop {first + desk.loop[0]}–{first + desk.loop[1]} ✕</button
    >
  {/if}
  {#if come < span}
    <span class="filling" role="status">
      <progress value={come / span} aria-label="Frames that are here"></progress>
      {come} of {span} frames
    </span>
  {/if}
  <span class="gap">{here}</span>
  {#if !desk.playing}<NextStep {desk} />{/if}
  <button
    title="Full size shows every pixel of the plate; half the work otherwise"
    aria-pressed={desk.full}
    onclick={() => (desk.full = !desk.full)}
    >{desk.full ? "full size" : `preview ${desk.width} px`}</button
  >
  <button
    disabled={!desk.matteId}
    title="Next problem or touch (Page Down)"
    onclick={() => desk.problem(1)}>{doubts ? `${doubts} to look at` : "next touch"} ↓</button
  >
</div>

<style>
  .transport {
    display: flex;
    align-items: center;
    gap: 12px;
    padding: 0 12px;
    background: #3b3b3b;
    color: #e4e1da;
    font-size: 12.5px;
    white-space: nowrap;
    overflow: hidden;
  }
  .number {
    font-family: var(--font-mono);
    font-size: 16px;
    font-weight: 500;
    color: #fff;
  }
  .gap {
    flex: 1;
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
    color: #ffb9ab;
  }
  button {
    border: 0;
    background: none;
    color: inherit;
    padding: 3px 6px;
    border-radius: 4px;
  }
  button:hover:not(:disabled) {
    background: #555;
  }
  button:disabled {
    color: #b0aca4;
  }
  .filling {
    display: flex;
    align-items: center;
    gap: 6px;
  }
  progress {
    width: 70px;
    height: 6px;
    accent-color: #a9d6f5;
  }
  .loop {
    color: #a9d6f5;
  }
</style>
