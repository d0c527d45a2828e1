<!-- The planes that make the picture, front to back. -->
<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import DragArea from "../lib/DragArea.svelte";
  import type { Dragged, LetGo } from "../lib/dragging";
  import Icon from "../lib/Icon.svelte";
  import Button from "../ui/Button.svelte";
  import { levels, placed } from "./planes";
  import Heading from "./Heading.svelte";
  import PlaneRow from "./PlaneRow.svelte";

  let { desk, name = "Stand" }: { desk: Desk; name?: string } = $props();
  const shot = $derived(desk.shot);
  const all = $derived(levels(shot.doc.planes));
  let over = $state.raw<{ id: string; where: "before" | "behind" | "in" } | null>(null);

  /** Where the plane would be laid that is over another one. */
  function dragged({ operation }: Pick<Dragged, "operation">) {
    const plane = shot.plane(String(operation.target?.id ?? ""));
    const bounds = operation.target?.element?.getBoundingClientRect();
    over = null;
    if (!plane || !bounds || plane.id === operation.source?.id) return;
    const part = (operation.position.current.y - bounds.top) / bounds.height;
    const into = plane.kind === "group" && part > 0.3;
    over = { id: plane.id, where: into ? "in" : part < 0.5 ? "before" : "behind" };
  }

  function dropped({ operation, canceled }: LetGo) {
    dragged({ operation });
    const id = String(operation.source?.id ?? "");
    const ops = over && !canceled ? placed(shot, id, over.id, over.where) : [];
    if (ops.length) shot.edit(ops, `move ${shot.plane(id)?.name}`);
    over = null;
  }

  $effect(() => {
    void shot.version;
    if (!desk.playback.playing) desk.costs.again(desk.playback.frame, desk.playback.width);
  });
</script>

<section class="flex min-h-0 flex-col" aria-label={name}>
  <Heading {name} note="front to back">
    <Button
      kind="bare"
      aria-label="Add a plane"
      aria-expanded={desk.shelf === "stand"}
      onclick={() => (desk.shelf = desk.shelf === "stand" ? null : "stand")}
      ><Icon name="plus" size={13} /> Plane</Button
    >
  </Heading>
  <ul class="flex-1 overflow-y-auto pt-1 pb-3">
    <DragArea onmove={dragged} onend={dropped}>
      {#each all as { plane, depth } (plane.id)}
        <PlaneRow
          {desk}
          {plane}
          {depth}
          many={all.length > 6}
          over={over?.id === plane.id ? over.where : null}
        />
      {:else}
        <li class="px-3.5 py-2.5 text-quiet">The stand is empty. Add the plate with “+ Plane”.</li>
      {/each}
    </DragArea>
  </ul>
</section>
