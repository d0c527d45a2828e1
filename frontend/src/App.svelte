<script lang="ts">
  import { Tooltip } from "bits-ui";
  import { onMount } from "svelte";
  import Asking from "./lib/Asking.svelte";
  import { dress } from "./lib/look";
  import Notes from "./lib/Notes.svelte";
  import Project from "./project/Project.svelte";
  import Start from "./start/Start.svelte";
  import Workspace from "./Workspace.svelte";

  let hash = $state(location.hash);
  /** A shot or a reel; the frame that it opens at, and from where on which reel somebody came. */
  const place = $derived(
    /^#\/shot\/(\d+)(?:\/(\d+))?(?:\/from\/(\d+)\/(\d+))?/.exec(hash)?.slice(1).map(Number) ?? [],
  );
  const shot = $derived(place[0] ?? 0);
  const project = $derived(Number(/^#\/project\/(\d+)/.exec(hash)?.[1] ?? 0));

  onMount(() => {
    const undressed = dress();
    const moved = () => (hash = location.hash);
    addEventListener("hashchange", moved);
    return () => {
      undressed();
      removeEventListener("hashchange", moved);
    };
  });
</script>

<Tooltip.Provider delayDuration={500}>
  {#if shot}
    {#key hash}<Workspace
        id={shot}
        frame={place[1] >= 0 ? place[1] : null}
        from={place[2] ? [place[2], place[3]] : null}
      />{/key}
  {:else if project}
    {#key project}<Project id={project} />{/key}
  {:else}
    <Start />
  {/if}
  <Asking />
  <Notes desk={shot > 0} />
</Tooltip.Provider>
