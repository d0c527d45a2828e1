<script lang="ts">
  import type { Plane } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
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

<div class="my-1 grid grid-cols-5 gap-1" role="group" aria-label="How it lies over what is behind">
  {#each ways as [says, blend, drop] (says)}
    <button
      class="min-h-6 rounded border border-rule bg-paper p-px text-[11px] leading-tight inset-ring-ink aria-pressed:border-ink aria-pressed:font-semibold aria-pressed:inset-ring"
      aria-pressed={plane.blend === blend && now === drop}
      onclick={() => take(blend, drop, says)}
    >
      <span class="mb-0.5 block h-10 overflow-hidden bg-film"
        ><Thumb {desk} view={{ kind: "blend", plane: plane.id, way: says }} alt="" /></span
      >{says}
    </button>
  {/each}
</div>
