<script lang="ts">
  import { api } from "../lib/api";
  import type { BlendView, MatteView, PlaneView } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";

  /** A small live picture of a view; it waits while the shot plays. */
  let { desk, view, alt }: { desk: Desk; view: PlaneView | BlendView | MatteView; alt: string } =
    $props();
  const WIDTH = 160;
  let url = $state("");
  let timer = 0;
  let turn = 0;

  $effect(() => {
    void desk.shot.version;
    void desk.shot.arrived;
    const [frame, wanted, playing] = [desk.playback.frame, view, desk.playback.playing];
    clearTimeout(timer);
    if (playing || !desk.shot.onServer("matte" in wanted ? wanted.matte : wanted.plane)) return;
    const mine = ++turn;
    timer = window.setTimeout(async () => {
      try {
        const found = await api.keys(desk.shot.id, wanted, frame, frame, WIDTH);
        if (mine === turn) url = api.picture(desk.shot.id, found.keys[0], wanted, frame, WIDTH);
      } catch {
        // the next change asks again
      }
    }, 140);
    return () => clearTimeout(timer);
  });
</script>

{#if url}<img class="block size-full object-cover" src={url} {alt} draggable="false" />{/if}
