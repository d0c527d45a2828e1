<!-- The bench's upper edge while a piece is chosen. -->
<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import type { Laid } from "../lib/reel";
  import { addPlane } from "../bench/recipes";
  import Icon from "../lib/Icon.svelte";
  import Button from "../ui/Button.svelte";
  import { joinSays, moveSays } from "./says";

  let { desk, laid, before }: { desk: Desk; laid: Laid; before: Laid | undefined } = $props();
  const there = $derived(desk.inside.shots[laid.piece.shot]);
  const from = $derived(there?.first_number ?? 1001);
  const says = $derived(
    [
      `${laid.count} frames, from ${from + laid.piece.first} to ${from + laid.piece.last}`,
      moveSays(laid.piece),
      laid.shared && before
        ? `${joinSays(laid.piece, laid.shared)} from ${desk.inside.name(before.piece.shot)}`
        : "",
    ]
      .filter(Boolean)
      .join(" · "),
  );

  /** A glaze over all pieces: the one that is there, or a new one, and what can be laid on it. */
  function overAll() {
    const { shot } = desk;
    const glaze = shot.doc.planes.find((plane) => plane.kind === "glaze");
    if (glaze) desk.selection.thing = { kind: "plane", id: glaze.id };
    else addPlane(desk, "glaze");
    desk.shelf = "recipe";
  }
</script>

<div class="flex min-w-0 items-center gap-2 border-b border-rule pr-2 pl-3">
  <span class="h-3 w-2.5 flex-none border-y-2 border-film bg-quiet"></span>
  <strong class="max-w-64 truncate text-[13.5px] font-semibold"
    >{desk.inside.name(laid.piece.shot)}</strong
  >
  <span class="min-w-0 flex-1 truncate text-xs text-quiet" title={says}>{says}</span>
  <Button kind="bare" title="A treatment of the whole picture, on all pieces" onclick={overAll}
    ><Icon name="plus" size={13} /> Treatment over all</Button
  >
</div>
