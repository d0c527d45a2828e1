<script lang="ts">
  import type { Matte, Pull } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import Card from "./Card.svelte";
  import Fields from "./Fields.svelte";
  import PullCard from "./PullCard.svelte";
  import { anyMoves, deedsOfPull, rowsOf } from "./recipes";
  import ShapeCard from "./ShapeCard.svelte";
  import { folding, openCards, opening, widthOf, type Slip, called } from "./slips";
  import Slot from "./Slot.svelte";
  import TraceCard from "./TraceCard.svelte";

  type Props = { desk: Desk; matte: Matte; room: { width: number; height: number } };
  let { desk, matte, room }: Props = $props();
  const shot = $derived(desk.shot);
  const edge = $derived(shot.entry("edge", "edge"));
  const joins = { add: "plus", subtract: "minus", intersect: "and", difference: "differs" };
  const drawn: Record<string, number> = { colour_key: 6, luma_key: 3.5, difference_key: 1.2 };

  /** Rows that a pull's card has besides its fields: what is drawn above them, and how it joins below. */
  function extra(pull: Pull): number {
    const holds = shot.holds(pull);
    const own =
      holds === "marks" ? 3.5 : holds === "shapes" ? 15 + pull.shapes.length + rides(pull) : 4;
    return own + (drawn[pull.kind] ?? 0);
  }

  const rides = (pull: Pull) =>
    4.5 * Math.max(0, ...pull.shapes.map((shape) => shape.rides.length));

  const slips = $derived<Slip[]>([
    ...matte.pulls.map((pull, n) => ({
      id: pull.id,
      title: called(shot.entry("pull", pull.kind).label, matte.pulls, n),
      rows: rowsOf(shot.entry("pull", pull.kind)) + extra(pull),
      moves: anyMoves(pull.params) || rides(pull) > 0,
      off: !pull.on,
    })),
    { id: "edge", title: "Edge", rows: edge.fields.length, moves: anyMoves(matte.edge) },
  ]);
  const key = $derived(`matte:${matte.id}`);
  const opened = $derived(
    desk.opened.get(key) ?? (desk.selection.pull ? [desk.selection.pull.id] : []),
  );
  const open = $derived(openCards(slips, opened, room));
  const chosen = $derived([...opened].reverse().find((id) => open.has(id)) ?? [...open][0] ?? "");

  $effect(() => desk.growBench(slips, chosen, room.width, false));

  function show(id: string) {
    desk.opened.set(key, opening(opened, id));
    if (matte.pulls.some((pull) => pull.id === id)) desk.tools.choosePull(id);
  }
</script>

{#each slips as slip, i (slip.id)}
  {@const pull = matte.pulls[i]}
  {#if i > 0}
    <span class="flex-none self-center text-center text-[11px] font-semibold text-quiet"
      >{pull ? joins[pull.join] : "then"}</span
    >
  {/if}
  <Slot
    {slip}
    open={open.has(slip.id)}
    chosen={chosen === slip.id}
    width={Math.min(widthOf(slip, room.height), Math.max(240, room.width - 60))}
    onopen={() => show(slip.id)}
    onfold={() => desk.opened.set(key, folding(opened, slip.id))}
  >
    {#if !pull}
      <Card title="Edge" note="whole matte">
        <Fields
          {desk}
          fields={edge.fields}
          values={matte.edge}
          path={`${shot.mattePath(matte.id)}/edge`}
          about="Edge"
        />
      </Card>
    {:else}
      {@const declared = shot.entry("pull", pull.kind)}
      {@const deeds = deedsOfPull(desk, matte, i)}
      {#if declared.holds === "marks"}
        <TraceCard {desk} {matte} {pull} {declared} {deeds} title={slip.title} />
      {:else if declared.holds === "shapes"}
        <ShapeCard {desk} {matte} {pull} {declared} {deeds} title={slip.title} />
      {:else}
        <PullCard {desk} {matte} {pull} {declared} {deeds} title={slip.title} />
      {/if}
    {/if}
  </Slot>
{/each}
