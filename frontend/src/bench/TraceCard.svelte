<script lang="ts">
  import { api } from "../lib/api";
  import type { DeclaredOut, Matte, Pull } from "../lib/api-types";
  import type { Desk } from "../lib/desk.svelte";
  import { follow } from "../lib/keys";
  import { notes } from "../lib/notes.svelte";
  import Card from "./Card.svelte";
  import Fields from "./Fields.svelte";
  import Joining from "./Joining.svelte";

  let {
    desk,
    matte,
    pull,
    declared,
    deeds,
  }: {
    desk: Desk;
    matte: Matte;
    pull: Pull;
    declared: DeclaredOut;
    deeds: Record<string, (() => void) | undefined>;
  } = $props();
  const shot = $derived(desk.shot);
  const path = $derived(desk.pullPath(pull.id));
  const here = $derived(pull.marks.filter((m) => m.frame === desk.frame));
  const ins = $derived(here.filter((m) => m.kind === "in").length);
  const outs = $derived(here.filter((m) => m.kind === "out" || m.kind === "near").length);
  const found = $derived(here.some((m) => m.kind === "found"));
  const solved = $derived(!!shot.frame(pull.id, desk.frame)?.blob);
  const busy = $derived(shot.following);

  function find() {
    const value = {
      id: shot.freshId("k"),
      frame: desk.frame,
      kind: "found",
      radius: 1,
      points: [],
      fill: false,
    };
    if (desk.mode === "result") desk.mode = "veil";
    shot.edit([{ op: "add", path: `${path}/marks/-`, value }], "find the subject");
  }

  function clear() {
    // from the back, so that the places before stay what they were
    const ops = pull.marks
      .map((m, i) => ({ op: "remove", path: `${path}/marks/${i}`, frame: m.frame }))
      .filter((op) => op.frame === desk.frame)
      .reverse()
      .map(({ op, path }) => ({ op, path }));
    if (ops.length) shot.edit(ops, "clear marks of this frame");
  }
</script>

{#snippet finder(look: string)}
  <button
    class={look}
    title="Looks for a person, or for what moves against the background; marks mend what it finds"
    onclick={find}>Find the subject</button
  >
{/snippet}

<Card
  title={declared.label}
  note={`frame ${shot.doc!.first_number + desk.frame}`}
  selected={desk.pull?.id === pull.id}
  onpick={() => desk.choosePull(pull.id)}
  on={pull.on}
  {...deeds}
>
  <div class="marks">
    <button
      class="in"
      aria-pressed={desk.tool === "in"}
      onclick={() => (desk.tool = "in")}
      title="In mark (I)">● in marks {ins}</button
    >
    <button
      class="out"
      aria-pressed={desk.tool === "out"}
      onclick={() => (desk.tool = "out")}
      title="Out mark (O)">┼ out marks {outs}</button
    >
  </div>
  {#if !found && !solved}{@render finder("btn")}{/if}
  {#if found && !solved && !shot.saving}
    <p role="status">
      Nothing was found on this frame: no person, nothing that moves. Draw an in mark.
    </p>
  {/if}
  <Fields
    {desk}
    fields={declared.fields}
    values={pull.params}
    path={`${path}/params`}
    about={declared.label}
  />
  <div class="deeds">
    {#if busy}
      <button class="btn" onclick={() => api.stop(busy.id).catch((e) => notes.fault(e))}
        >Stop following</button
      >
    {:else}
      <button
        class="btn"
        disabled={!solved || desk.frame === 0}
        title="Follow back (Shift F)"
        onclick={() => follow(desk, -1)}>◀ Follow back</button
      >
      <button
        class="btn"
        disabled={!solved || desk.frame === shot.count - 1}
        title="Follow on (F)"
        onclick={() => follow(desk, 1)}>Follow on ▶</button
      >
    {/if}
    {#if !found && solved}{@render finder("btn-bare")}{/if}
    {#if here.length}<button class="btn-bare" onclick={clear}>Clear marks</button>{/if}
  </div>
  {#if matte.pulls.length > 1 || shot.doc!.mattes.length > 1}
    <Joining {desk} {pull} {path} about={declared.label} first={matte.pulls[0].id === pull.id} />
  {/if}
</Card>

<style>
  .marks,
  .deeds {
    display: flex;
    flex-wrap: wrap;
    gap: 5px;
    margin: 1px 0 4px;
  }
  p {
    margin: 2px 0;
    max-width: 260px;
    color: var(--redtext);
  }
  .deeds {
    margin: 6px 0 0;
  }
  .deeds .btn {
    padding: 2px 7px;
  }
  .marks button {
    border: 1.5px solid var(--red);
    border-radius: 4px;
    background: none;
    color: var(--redtext);
    font-size: 12px;
    padding: 2px 7px;
  }
  .marks .out {
    border-style: dashed;
  }
  .marks button[aria-pressed="true"] {
    background: color-mix(in srgb, var(--red) 12%, transparent);
  }
</style>
