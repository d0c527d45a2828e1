<!-- What was put away: taken back, or deleted for good. -->
<script lang="ts">
  import type { TrashedOut } from "../lib/api-types";
  import { ago } from "../lib/format";
  import { deleteForGood, restore, type Thing, type Things } from "../lib/things";
  import Button from "../ui/Button.svelte";

  let { trash, done }: { trash: TrashedOut[]; done: () => void } = $props();
  const things: Record<TrashedOut["kind"], Things> = {
    project: "projects",
    shot: "shots",
    footage: "footage",
    job: "jobs",
  };
  const says = { project: "project", shot: "shot", footage: "footage", job: "export" };
  const thing = (one: TrashedOut): Thing => ({
    things: things[one.kind],
    id: one.id,
    name: one.name,
  });
</script>

<section aria-label="Trash" class="py-5">
  <h2 class="text-lg font-semibold">Trash</h2>
  <p class="text-quiet">What has been here for 30 days is deleted for good.</p>
  <ul class="mt-2 max-w-3xl">
    {#each trash as one (`${one.kind}-${one.id}`)}
      <li class="flex items-center gap-2 border-b border-faint py-1">
        <span class="min-w-0 flex-1 truncate"
          >{one.name}
          <span class="text-quiet">· {says[one.kind]}, put away {ago(one.trashed!)}</span></span
        >
        <Button onclick={() => restore(thing(one), done)} aria-label={`Take back ${one.name}`}
          >Take back</Button
        >
        <Button
          kind="bare"
          onclick={() => deleteForGood(thing(one), done)}
          aria-label={`Delete ${one.name} for good`}>Delete for good</Button
        >
      </li>
    {/each}
  </ul>
</section>
