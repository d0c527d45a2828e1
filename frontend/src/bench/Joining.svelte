<script lang="ts">
  import type { Pull } from "../lib/api-types";
  import type { Desk } from "../lib/desk.svelte";
  import Field from "./Field.svelte";

  let {
    desk,
    pull,
    path,
    about,
    first,
  }: { desk: Desk; pull: Pull; path: string; about: string; first: boolean } = $props();
  const joins = [
    ["add", "adds to what is left of it"],
    ["subtract", "takes away from it"],
    ["intersect", "keeps what both have"],
    ["difference", "keeps what only one has"],
  ];
  const strength = $derived(desk.shot.field("joining", "strength"));

  const others = $derived(
    desk.shot.doc!.mattes.filter((m) => !m.pulls.some((p) => p.id === pull.id)),
  );

  function confine(text: string) {
    desk.shot.edit(
      [
        { op: "add", path: `${path}/region`, value: text ? text.slice(1) : null },
        { op: "add", path: `${path}/beyond`, value: text.startsWith("-") },
      ],
      "region",
    );
  }

  function set(name: string, value: unknown, label: string) {
    desk.shot.edit([{ op: "replace", path: `${path}/${name}`, value }], label);
  }
</script>

<div class="joining">
  {#if !first}
    <div class="row" title={joins.find(([join]) => join === pull.join)?.[1]}>
      <span>Joins by</span>
      <select
        class="field"
        aria-label={`${about}: how it joins`}
        value={pull.join}
        onchange={(e) => set("join", e.currentTarget.value, "join")}
      >
        {#each joins as [join, says] (join)}<option value={join} title={says}>{join}</option>{/each}
      </select>
    </div>
  {/if}
  {#if others.length}
    <div class="row" title="Another matte that this pull is confined to">
      <span>Only in</span>
      <select
        class="field"
        aria-label={`${about}: region`}
        value={pull.region === null ? "" : `${pull.beyond ? "-" : "+"}${pull.region}`}
        onchange={(e) => confine(e.currentTarget.value)}
      >
        <option value="">all of the picture</option>
        {#each others as other (other.id)}
          <option value={`+${other.id}`}>{other.name}</option>
          <option value={`-${other.id}`}>not {other.name}</option>
        {/each}
      </select>
    </div>
  {/if}
  <Field {desk} field={strength} value={pull.strength} path={`${path}/strength`} {about} />
  <label
    ><input
      type="checkbox"
      checked={pull.invert}
      onchange={(e) => set("invert", e.currentTarget.checked, "invert")}
    /> inverted</label
  >
</div>

<style>
  .joining {
    margin-top: 5px;
    padding-top: 4px;
    border-top: 1px solid var(--rule);
  }
  .row {
    display: grid;
    grid-template-columns: 78px minmax(0, 1fr);
    align-items: center;
    gap: 5px;
    font-size: 12px;
  }
  .row span {
    color: var(--quiet);
  }
  select {
    padding: 1px 4px;
  }
  label {
    display: flex;
    gap: 6px;
    align-items: center;
    min-height: 24px;
    font-size: 12px;
  }
</style>
