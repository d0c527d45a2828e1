<script lang="ts">
  import { api } from "../lib/api";
  import type { BlendView, MatteView, PlaneView } from "../lib/api-types";
  import { Latest } from "../lib/latest";
  import type { Desk } from "../desk/desk.svelte";

  /** A small live picture of a view; it waits while the shot plays. */
  let { desk, view, alt }: { desk: Desk; view: PlaneView | BlendView | MatteView; alt: string } =
    $props();
  const WIDTH = 160;
  let url = $state("");
  let turn = 0;
  const latest = new Latest();

  $effect(() => {
    void desk.shot.version;
    void desk.shot.arrived;
    const [frame, wanted, playing] = [desk.playback.frame, view, desk.playback.playing];
    if (playing || !desk.shot.onServer("matte" in wanted ? wanted.matte : wanted.plane)) return;
    const mine = ++turn;
    latest.ask(async () => {
      const found = await api.keys(desk.shot.id, wanted, frame, frame, WIDTH);
      if (mine === turn) url = api.picture(desk.shot.id, found.keys[0], wanted, frame, WIDTH);
    }, 140);
    return () => latest.drop();
  });
</script>

{#if url}<img class="block size-full object-cover" src={url} {alt} draggable="false" />{/if}
