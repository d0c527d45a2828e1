<script lang="ts">
  import { onMount } from "svelte";
  import type { Desk } from "../lib/desk.svelte";
  import { listen } from "../lib/events";
  import Icon from "../lib/Icon.svelte";
  import Shelf from "./Shelf.svelte";
  import { ProjectStore } from "./uploads.svelte";

  let { desk }: { desk: Desk } = $props();
  // svelte-ignore state_referenced_locally (a desk never changes its project)
  const store = new ProjectStore(desk.shot.about!.project);
  onMount(() => {
    void store.load();
    return listen(
      (event) => store.told(event),
      () => {},
    );
  });
</script>

<section class="slide" aria-label="Footage of the project">
  <header>
    <h2>Footage of {desk.shot.about!.project_name}</h2>
    <button class="btn-bare" aria-label="Close" onclick={() => (desk.slide = "none")}
      ><Icon name="close" /></button
    >
  </header>
  <Shelf {store} />
</section>

<style>
  section {
    inset: auto 0 0 0;
    max-height: 60%;
    min-height: 236px;
    overflow-y: auto;
    padding: 4px 16px 16px;
  }
  header {
    display: flex;
    align-items: center;
    justify-content: space-between;
    padding: 4px 0 8px;
  }
  h2 {
    margin: 0;
    font-size: 15px;
    font-weight: 600;
  }
</style>
