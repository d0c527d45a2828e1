<script lang="ts">
  import type { Plane } from "../lib/api-types";
  import type { Desk } from "../lib/desk.svelte";
  import Thumb from "./Thumb.svelte";

  /** Ways to lay an element over what lies behind it, each with a live picture; a press takes it. */
  let { desk, plane }: { desk: Desk; plane: Plane } = $props();
  const ways: [string, Plane["blend"], string][] = [
    ["as it is", "normal", "nothing"],
    ["screen", "screen", "nothing"],
    ["add", "add", "nothing"],
    ["drop black", "normal", "black"],
    ["drop white", "normal", "white"],
  ];
  const now = $derived((plane.params.see_through as string | undefined) ?? "nothing");

  function take(blend: string, drop: string, label: string) {
    const path = desk.shot.planePath(plane.id);
    desk.shot.edit(
      [
        { op: "replace", path: `${path}/blend`, value: blend },
        { op: "add", path: `${path}/params/see_through`, value: drop },
      ],
      `lay over: ${label}`,
    );
  }
</script>

<div class="tries" role="group" aria-label="How it lies over what is behind">
  {#each ways as [says, blend, drop] (says)}
    <button
      aria-pressed={plane.blend === blend && now === drop}
      onclick={() => take(blend, drop, says)}
    >
      <span class="look"><Thumb {desk} view={`try:${plane.id}:${says}`} alt="" /></span>{says}
    </button>
  {/each}
</div>

<style>
  .tries {
    display: grid;
    grid-template-columns: repeat(5, 1fr);
    gap: 4px;
    margin: 4px 0;
  }
  button {
    border: 1px solid var(--rule);
    border-radius: 4px;
    background: var(--paper);
    padding: 2px;
    font-size: 11px;
    line-height: 1.2;
    min-height: 24px;
  }
  button[aria-pressed="true"] {
    border: 2px solid var(--ink);
    padding: 1px;
    font-weight: 600;
  }
  .look {
    display: block;
    height: 40px;
    margin-bottom: 2px;
    background: #26241f;
    overflow: hidden;
  }
</style>
