<!-- The parts of EXR footage that are chosen: channels, and the names of things (Cryptomatte). -->
<script lang="ts">
  import jsonpatch from "fast-json-patch";
  import { api } from "../../lib/api";
  import type { FootageOut } from "../../lib/api-types";
  import type { Desk } from "../../desk/desk.svelte";
  import { notes } from "../../lib/notes.svelte";
  import Select from "../../ui/Select.svelte";

  type Props = {
    desk: Desk;
    path: string;
    name: string;
    value: string[];
    onset: (value: string[], label: string) => void;
  };
  let { desk, path, name, value, onset }: Props = $props();
  let footage = $state.raw<FootageOut[]>([]);
  const chosen = $derived(
    jsonpatch.getValueByPointer(desk.shot.doc, path.replace(/[^/]+$/, "footage")) as
      string | undefined,
  );
  const parts = $derived(footage.find((one) => String(one.id) === chosen)?.parts ?? []);
  const options = $derived(
    parts
      .filter((one) => !value.includes(one))
      .map((one) => ({ value: one, label: called(one), hint: kindOf(one) })),
  );

  $effect(() => {
    void chosen;
    api
      .project(desk.shot.about.project)
      .then((found) => (footage = found.footage))
      .catch(notes.fault);
  });

  /** A part without what says its kind: a channel's name, or what a thing is called. */
  function called(part: string): string {
    const rest = part.slice(part.indexOf(":") + 1);
    return part.startsWith("name:") ? rest.slice(rest.indexOf(":") + 1) : rest;
  }

  function kindOf(part: string): string {
    return part.startsWith("name:") ? `by name, in ${part.split(":")[1]}` : "channel";
  }
</script>

<div class="col-span-3 grid gap-1">
  <Select
    {name}
    class="w-full"
    value=""
    placeholder={chosen
      ? options.length
        ? "add one …"
        : parts.length
          ? "all are chosen"
          : "it has none"
      : "choose footage first"}
    disabled={!options.length}
    {options}
    onpick={(one) => onset([...value, one], `add ${called(one)}`)}
  />
  {#if value.length}
    <div class="flex flex-wrap gap-1">
      {#each value as one (one)}
        <button
          class="flex items-center gap-1 rounded border border-rule bg-card px-1.5 text-xs hover:border-ink"
          title={`${kindOf(one)}; press to leave it out`}
          onclick={() =>
            onset(
              value.filter((other) => other !== one),
              `leave out ${called(one)}`,
            )}>{called(one)} ✕</button
        >
      {/each}
    </div>
  {/if}
</div>
