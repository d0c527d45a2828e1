<script lang="ts">
  import type { Pull } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import Select from "../ui/Select.svelte";
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
    desk.shot.doc.mattes.filter((m) => !m.pulls.some((p) => p.id === pull.id)),
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

<div class="mt-1 break-inside-avoid border-t border-rule pt-1">
  {#if !first}
    <div class="grid min-h-6 grid-cols-[78px_minmax(0,1fr)] items-center gap-1 text-xs">
      <span class="text-quiet">Joins by</span>
      <Select
        name={`${about}: how it joins`}
        value={pull.join}
        options={joins.map(([value, hint]) => ({ value, label: value, hint }))}
        onpick={(value) => set("join", value, "join")}
      />
    </div>
  {/if}
  {#if others.length}
    <div
      class="grid min-h-6 grid-cols-[78px_minmax(0,1fr)] items-center gap-1 text-xs"
      title="Another matte that this pull is confined to"
    >
      <span class="text-quiet">Only in</span>
      <Select
        name={`${about}: region`}
        value={pull.region === null ? "" : `${pull.beyond ? "-" : "+"}${pull.region}`}
        options={[
          { value: "", label: "all of the picture" },
          ...others.flatMap((one) => [
            { value: `+${one.id}`, label: one.name },
            { value: `-${one.id}`, label: `not ${one.name}` },
          ]),
        ]}
        onpick={confine}
      />
    </div>
  {/if}
  <Field {desk} field={strength} value={pull.strength} path={`${path}/strength`} {about} />
  <label class="flex min-h-6 items-center gap-1.5 text-xs"
    ><input
      type="checkbox"
      checked={pull.invert}
      onchange={(e) => set("invert", e.currentTarget.checked, "invert")}
    /> inverted</label
  >
</div>
