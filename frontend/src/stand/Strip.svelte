<!-- The stand, folded: its planes and mattes as small pictures, while a side room has its place. -->
<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import Thumb from "./Thumb.svelte";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  const PLACE =
    "grid w-full place-items-center py-1 aria-pressed:bg-card aria-pressed:inset-ring-[1.5px] aria-pressed:inset-ring-ink";
</script>

<div class="flex min-h-0 flex-col gap-2 overflow-y-auto border-r border-rule py-2">
  <section aria-label="Stand">
    {#each shot.doc.planes as plane (plane.id)}
      <button
        class={PLACE}
        data-pick
        title={plane.name}
        aria-pressed={desk.selection.is("plane", plane.id)}
        onclick={() => {
          desk.selection.thing = { kind: "plane", id: plane.id };
          desk.view.mode = "result";
        }}
      >
        <span
          class={[
            "h-6 w-10 overflow-hidden",
            plane.kind === "line" ? "bg-film" : "bg-[#cbc5b6]",
            !plane.on && "opacity-30",
          ]}><Thumb {desk} view={{ kind: "plane", plane: plane.id }} alt="" /></span
        ><span class="sr-only">{plane.name}</span>
      </button>
    {/each}
  </section>
  {#if shot.doc.mattes.length}
    <section class="border-t border-rule pt-2" aria-label="Mattes">
      {#each shot.doc.mattes as matte (matte.id)}
        <button
          class={PLACE}
          data-pick
          title={matte.name}
          aria-pressed={desk.selection.is("matte", matte.id)}
          onclick={() => {
            desk.selection.thing = { kind: "matte", id: matte.id };
            if (desk.view.mode === "result") desk.view.mode = "veil";
          }}
        >
          <span class="h-6 w-10 overflow-hidden bg-black"
            ><Thumb
              {desk}
              view={{ kind: "matte", matte: matte.id, pulls: null, edged: true }}
              alt=""
            /></span
          ><span class="sr-only">{matte.name}</span>
        </button>
      {/each}
    </section>
  {/if}
</div>
