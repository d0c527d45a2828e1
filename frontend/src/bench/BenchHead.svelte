<!-- The bench's upper edge: the name of what is selected, what it does, and what can be added. -->
<script lang="ts">
  import type { Matte, Plane, Track } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import Icon from "../lib/Icon.svelte";
  import { settle } from "../desk/deeds";
  import Button from "../ui/Button.svelte";
  import Select from "../ui/Select.svelte";
  import { lookAfter, saysOfMatte, saysOfPlane } from "./recipes";

  let { desk, matte, plane, track }: { desk: Desk; matte?: Matte; plane?: Plane; track?: Track } =
    $props();
  const thing = $derived((matte ?? plane ?? track)!);
  const shot = $derived(desk.shot);
  const old = $derived(!!matte && shot.outdated.includes(matte.id));
  const says = $derived(
    matte
      ? saysOfMatte(desk, matte)
      : plane
        ? saysOfPlane(desk, plane)
        : shot.entry("track", track!.kind).hint,
  );

  const takes = $derived(shot.doc.planes.filter((one) => one.kind === "take"));

  /** What the matte is pulled from: the plate, or a take where it lies on it. */
  function of(take: string) {
    const path = `${shot.mattePath(matte!.id)}/of`;
    shot.edit([{ op: "add", path, value: take || null }], "pull from another take");
  }

  function rename(name: string) {
    const path = matte
      ? shot.mattePath(matte.id)
      : plane
        ? shot.planePath(plane.id)
        : shot.trackPath(thing.id);
    const value = name.trim().slice(0, 120);
    if (value) shot.edit([{ op: "replace", path: `${path}/name`, value }], "rename");
  }
</script>

<div class="flex min-w-0 items-center gap-2 border-b border-rule pr-2 pl-3">
  <span
    class={[
      "size-2.5 flex-none",
      matte ? "rounded-full bg-[#b98524]" : track ? "rounded-full bg-blue" : "bg-quiet",
    ]}
  ></span>
  <input
    class="field-sizing-content max-w-64 min-w-24 rounded border border-transparent px-1 py-px text-[13.5px] font-semibold hover:border-rule hover:bg-card focus:border-rule focus:bg-card"
    aria-label="Name"
    value={thing.name}
    onchange={(e) => rename(e.currentTarget.value)}
    onkeydown={(e) => e.key === "Enter" && e.currentTarget.blur()}
  />
  <span
    class={["min-w-0 flex-1 truncate text-xs", old ? "text-redtext" : "text-quiet"]}
    title={says}>{says}</span
  >
  {#if matte && takes.length}<Select
      name="Pulled from"
      class="max-w-40"
      value={matte.of ?? ""}
      options={[
        { value: "", label: "of the plate" },
        ...takes.map((one) => ({ value: one.id, label: `of ${one.name}` })),
      ]}
      onpick={of}
    />{/if}
  {#if !track}<Button
      kind="bare"
      aria-pressed={desk.curves}
      title="Curves of what moves, in place of the cards (C)"
      onclick={() => (desk.curves = !desk.curves)}>{desk.curves ? "Cards" : "Curves"}</Button
    >{/if}
  {#if matte && desk.view.upTo}
    <Button onclick={() => lookAfter(desk, null)}
      >Views stop after pull {desk.view.upTo} of {matte.pulls.length}: show all</Button
    >
  {/if}
  {#if matte}
    {#if matte.settled && old}
      <Button disabled={!!shot.settling} onclick={() => settle(desk, true)}>Settle again</Button>
    {/if}
    <Button
      kind="bare"
      title={matte.settled
        ? "Compute the matte from its recipe again (T)"
        : "Store all frames as they are, so that nothing computes them again (T)"}
      disabled={!!shot.settling}
      onclick={() => settle(desk)}>{matte.settled ? "Unsettle" : "Settle"}</Button
    >
  {/if}
  {#if !track}<Button
      kind="bare"
      aria-expanded={desk.shelf === "recipe"}
      title="Choose by looking: this frame with each one laid on (A)"
      onclick={() => (desk.shelf = desk.shelf === "recipe" ? null : "recipe")}
      ><Icon name="plus" size={13} /> {matte ? "Pull" : "Treatment"}</Button
    >{/if}
</div>
