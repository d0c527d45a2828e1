<script lang="ts">
  import type { CatalogueOut, Matte } from "../lib/api-types";
  import { DOUBTFUL, type Desk } from "../lib/desk.svelte";
  import Icon from "../lib/Icon.svelte";
  import { newMatte } from "./mattes";
  import Heading from "./Heading.svelte";
  import Thumb from "./Thumb.svelte";

  let { desk, catalogue }: { desk: Desk; catalogue: CatalogueOut } = $props();
  const shot = $derived(desk.shot);

  function label(kind: string): string {
    return (
      catalogue.declared.find((d) => d.family === "pull" && d.kind === kind)?.label.toLowerCase() ??
      kind
    );
  }

  function reach(matte: Matte): string {
    const pull = shot.trace(matte);
    // what needs no marks is there on every frame
    if (!pull) return matte.pulls.length ? "all" : "";
    const have = shot.frames.get(pull.id)?.size ?? 0;
    return have >= shot.count ? "all" : `${have} of ${shot.count}`;
  }

  function doubts(matte: Matte): number {
    const rows = shot.frames.get(shot.trace(matte)?.id ?? "")?.values() ?? [];
    return [...rows].filter((f) => f.doubt > DOUBTFUL).length;
  }

  function add() {
    const number = shot.doc!.mattes.length + 1;
    const value = newMatte(number === 1 ? "Subject" : `Subject ${number}`, shot.freshId("m"));
    const id = value.id;
    shot.edit([{ op: "add", path: "/mattes/-", value }], "add matte");
    desk.selected = { kind: "matte", id };
    desk.mode = "veil";
    desk.tool = "in";
  }

  function remove(matte: Matte) {
    shot.edit([{ op: "remove", path: shot.mattePath(matte.id) }], `remove ${matte.name}`);
    desk.selected = null;
  }

  const used = $derived(
    new Set([
      ...shot.doc!.planes.flatMap((p) => [p.matte, p.gate?.matte, ...(p.gate?.excluded ?? [])]),
      ...shot.doc!.mattes.flatMap((m) => m.pulls.map((pull) => pull.region)),
    ]),
  );
</script>

<section class="mattes" aria-label="Mattes">
  <Heading name="Mattes" note={shot.doc!.mattes.length}>
    <button class="btn-bare" onclick={add}><Icon name="plus" size={13} /> Matte</button>
  </Heading>
  <ul>
    {#each shot.doc!.mattes as matte (matte.id)}
      {@const selected = desk.selected?.kind === "matte" && desk.selected.id === matte.id}
      <li class:selected class:used={desk.uses.has(matte.id)}>
        <button
          class="pick"
          aria-pressed={selected}
          onclick={() => {
            desk.selected = { kind: "matte", id: matte.id };
            if (desk.mode === "result") desk.mode = "veil";
          }}
        >
          <span class="thumb"><Thumb {desk} view={`matte:${matte.id}`} alt="" /></span>
          <span class="text">
            <strong>{matte.name}</strong>
            <span>{matte.pulls.map((p) => label(p.kind)).join(", ") || "no pull"}</span>
          </span>
          <span class="state">
            {matte.settled ? "settled" : reach(matte)}
            {#if shot.outdated.includes(matte.id)}<b>out of date</b>{/if}
            {#if doubts(matte)}<b>{doubts(matte)} in doubt</b>{/if}
          </span>
        </button>
        {#if selected && !used.has(matte.id)}
          <button class="btn-bare" aria-label={`Remove ${matte.name}`} onclick={() => remove(matte)}
            ><Icon name="close" size={13} /></button
          >
        {/if}
      </li>
    {:else}
      <li class="none">
        No matte yet. “+ Matte” starts one with a trace: mark the subject, and follow it.
      </li>
    {/each}
  </ul>
</section>

<style>
  .mattes {
    border-top: 1px solid var(--rule);
    max-height: 262px;
    display: flex;
    flex-direction: column;
    background: var(--stand);
    padding-bottom: 8px;
  }
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
    overflow-y: auto;
  }
  li {
    display: flex;
    align-items: center;
  }
  /* what the selected plane rests on */
  li.used {
    box-shadow: inset 4px 0 0 -1px var(--ink);
  }
  li.selected {
    background: var(--card);
    box-shadow: inset 0 0 0 1.5px var(--ink);
  }
  .pick {
    flex: 1;
    display: flex;
    align-items: center;
    gap: 10px;
    min-width: 0;
    border: 0;
    background: none;
    padding: 6px 10px 6px 13px;
    text-align: left;
  }
  .thumb {
    flex: none;
    width: 64px;
    height: 36px;
    background: #000;
    overflow: hidden;
  }
  .text {
    flex: 1;
    display: grid;
    min-width: 0;
  }
  .text span {
    font-size: 11.5px;
    color: var(--quiet);
  }
  strong {
    font-weight: 600;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .state {
    display: grid;
    justify-items: end;
    font-size: 11.5px;
    color: var(--quiet);
    white-space: nowrap;
  }
  .state b {
    color: var(--redtext);
    font-weight: 600;
  }
  .none {
    padding: 4px 14px 8px;
    color: var(--quiet);
  }
</style>
