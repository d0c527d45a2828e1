<script lang="ts">
  import { Tooltip } from "bits-ui";
  import { onMount } from "svelte";
  import Notes from "./lib/Notes.svelte";
  import Start from "./start/Start.svelte";
  import Workspace from "./Workspace.svelte";

  let hash = $state(location.hash);
  const shot = $derived(Number(/^#\/shot\/(\d+)/.exec(hash)?.[1] ?? 0));

  onMount(() => {
    document.documentElement.classList.toggle("night", localStorage.getItem("night") === "1");
    const moved = () => (hash = location.hash);
    addEventListener("hashchange", moved);
    return () => removeEventListener("hashchange", moved);
  });
</script>

<Tooltip.Provider delayDuration={500}>
  {#if shot}
    {#key shot}<Workspace id={shot} />{/key}
  {:else}
    <Start />
  {/if}
  <Notes />
</Tooltip.Provider>
