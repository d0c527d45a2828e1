<script lang="ts">
  import { addPlane } from "../bench/recipes";
  import SlideHead from "../ui/SlideHead.svelte";
  import { onMount, untrack } from "svelte";
  import type { Desk } from "../desk/desk.svelte";
  import { listen } from "../lib/events";
  import Shelf from "./Shelf.svelte";
  import { ProjectStore } from "./uploads.svelte";

  let { desk }: { desk: Desk } = $props();
  // svelte-ignore state_referenced_locally (a desk never changes its project)
  const store = new ProjectStore(desk.shot.about.project);
  $effect(() => {
    const files = desk.dropped;
    if (!files.length) return;
    untrack(() => {
      desk.dropped = [];
      void store.send(files);
    });
  });
  onMount(() => {
    void store.load();
    return listen(
      (event) => store.told(event),
      () => {},
    );
  });
</script>

<section class="room" aria-label="Footage of the project">
  <SlideHead {desk} title={`Footage of ${desk.shot.about.project_name}`} />
  <Shelf
    narrow
    {store}
    plate={desk.shot.doc.plate}
    ontake={desk.shot.reel
      ? undefined
      : (footage) => {
          desk.slide = "none";
          addPlane(desk, "take", footage);
        }}
    onunder={desk.shot.reel ? undefined : (footage) => (desk.swapping = footage)}
  />
</section>
