<!-- A plane on the stand, as a piece of glass with its picture: pressed to select, dragged to another place. -->
<script lang="ts">
  import { pointerIntersection } from "@dnd-kit/collision";
  import { createDraggable, createDroppable } from "@dnd-kit/svelte";
  import type { Plane } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import Icon from "../lib/Icon.svelte";
  import { moves, moversOfPlane } from "../lib/movers";
  import Button from "../ui/Button.svelte";
  import { aboutPlane, stepped } from "./planes";
  import Context from "../ui/Context.svelte";
  import Menu from "../ui/Menu.svelte";
  import { deedsOfPlane } from "./plane-deeds";
  import Thumb from "./Thumb.svelte";

  type Props = {
    desk: Desk;
    plane: Plane;
    depth: number;
    /** Whether there are so many that each takes less room. */
    many: boolean;
    /** Where something that is dragged would be laid. */
    over: "before" | "behind" | "in" | null;
  };
  let { desk, plane, depth, many, over }: Props = $props();
  const shot = $derived(desk.shot);
  const selected = $derived(desk.selection.is("plane", plane.id));
  const cost = $derived(desk.costs.found[plane.id]);
  const hidden = $derived(!plane.on || (shot.doc.planes.some((p) => p.solo) && !plane.solo));
  const choices = $derived(deedsOfPlane(desk, plane));
  const chip = "rounded-sm border border-rule bg-card px-1.5 text-[11px]";

  const drag = createDraggable({
    get id() {
      return plane.id;
    },
    feedback: "clone",
  });
  const drop = createDroppable({
    get id() {
      return plane.id;
    },
    collisionDetector: pointerIntersection,
  });

  function turn() {
    const path = `${shot.planePath(plane.id)}/on`;
    const says = plane.on ? "hide" : "show";
    shot.edit([{ op: "replace", path, value: !plane.on }], `${says} ${plane.name}`);
  }

  function pressed(event: KeyboardEvent) {
    if (!event.altKey || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return;
    event.preventDefault();
    event.stopPropagation();
    const ops = stepped(shot, plane, event.key === "ArrowUp" ? -1 : 1);
    if (ops.length) shot.edit(ops, `move ${plane.name}`);
  }
</script>

<Context {choices}>
  {#snippet child(props)}
    <!-- the bar marks what the selected one rests on, or what rests on it -->
    <li
      {...props}
      class={[
        "relative flex items-start",
        "data-dnd-dragging:rounded-md data-dnd-dragging:bg-card data-dnd-dragging:shadow-lg",
        over === "before" && "inset-shadow-[0_2px_0] inset-shadow-ink",
        over === "behind" && "inset-shadow-[0_-2px_0] inset-shadow-ink",
        over === "in" && "bg-card outline-2 -outline-offset-2 outline-ink outline-dashed",
        selected && "bg-card inset-ring-[1.5px] inset-ring-ink",
        !selected &&
          !over &&
          desk.selection.uses.has(plane.id) &&
          "inset-shadow-[4px_0_0_-1px] inset-shadow-ink",
      ]}
      data-used={desk.selection.uses.has(plane.id) || undefined}
      style:padding-left={`${depth * 16}px`}
      {@attach drag.attach}
      {@attach drop.attach}
    >
      <button
        class={[
          "flex min-w-0 flex-1 text-left",
          many ? "gap-2 py-1.5 pl-2.5" : "gap-3 pt-3 pb-2.5 pl-3.5",
        ]}
        {@attach drag.attachHandle}
        data-pick
        aria-pressed={selected}
        title="Alt and the arrow keys move it to the front or to the back"
        onkeydown={pressed}
        onclick={() => {
          desk.selection.thing = { kind: "plane", id: plane.id };
          desk.view.mode = "result";
        }}
      >
        <span
          class={[
            "glass flex-none overflow-hidden",
            many ? "mt-0.5 h-[34px] w-[58px]" : "mt-1 h-14 w-24",
            plane.kind === "line" ? "bg-film" : "bg-[#cbc5b6]",
            hidden && "opacity-30",
          ]}><Thumb {desk} view={{ kind: "plane", plane: plane.id }} alt="" /></span
        >
        <span class="grid min-w-0 content-start gap-px">
          <strong class="overflow-hidden font-semibold text-ellipsis">{plane.name}</strong>
          <span class={["text-[11.5px] leading-tight text-quiet", many && "line-clamp-1"]}
            >{aboutPlane(shot, plane)}</span
          >
          <span class="mt-0.5 flex flex-wrap gap-0.5">
            {#if plane.solo}<span class={[chip, "bg-ink text-on-ink"]}>solo</span>{/if}
            {#each plane.treatments as step (step.id)}<span
                class={[chip, !step.on && "text-quiet line-through"]}
                >{shot.entry("treatment", step.kind).label.toLowerCase()}</span
              >{/each}
            {#if moversOfPlane(plane, "").some((m) => moves(m.value))}<span
                class={[chip, "flex items-center gap-1"]}
                title="has keyframes or drivers"
                ><span
                  class="grid size-[7px] place-items-center rounded-full border-[1.3px] border-current"
                ></span>moves</span
              >{/if}
            {#if cost >= 0.5}<small
                class="self-center font-mono text-[10.5px] font-medium text-quiet"
                title="what this frame took">{Math.round(cost)} ms</small
              >{/if}
          </span>
        </span>
      </button>
      <div class={["grid pr-1", many ? "grid-flow-col pt-0.5" : "pt-2"]}>
        <Button
          kind="bare"
          aria-label={`${plane.on ? "Hide" : "Show"} ${plane.name}`}
          onclick={turn}><Icon name={plane.on ? "eye" : "shut"} /></Button
        >
        <Menu name={`More for ${plane.name}`} {choices} />
      </div>
    </li>
  {/snippet}
</Context>

<style>
  /* a pane that lies in the stand */
  .glass {
    transform: perspective(340px) rotateX(34deg) rotateZ(-9deg) skewX(4deg);
    box-shadow:
      0 0 0 1px rgb(0 0 0 / 0.35),
      0 9px 12px -4px rgb(0 0 0 / 0.36);
  }
</style>
