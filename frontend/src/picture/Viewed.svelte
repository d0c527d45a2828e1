<!-- How the shot is looked at: plainly, through a view of the colour configuration, or through a table. -->
<script lang="ts">
  import { api } from "../lib/api";
  import { colour } from "../lib/colour.svelte";
  import type { FootageOut } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { notes } from "../lib/notes.svelte";
  import { Select } from "bits-ui";
  import Icon from "../lib/Icon.svelte";

  let { desk }: { desk: Desk } = $props();
  let open = $state(false);
  let tables = $state.raw<FootageOut[]>([]);
  const viewing = $derived(desk.shot.doc.viewing ?? null);
  const value = $derived(
    !viewing
      ? "auto"
      : viewing.kind === "view"
        ? `view:${viewing.display}|${viewing.view}`
        : viewing.kind === "table"
          ? `table:${viewing.table}`
          : "plain",
  );
  const options = $derived([
    {
      value: "auto",
      label: "by the footage",
      hint: "a camera's log by the first view, all else plain",
    },
    { value: "plain", label: "plain", hint: "light as sRGB encodes it" },
    ...colour.views().map((one) => ({ ...one, value: `view:${one.value}` })),
    ...tables.map((one) => ({
      value: `table:${one.id}`,
      label: one.name,
      hint: "colour table of the project",
    })),
  ]);
  const working = $derived(desk.shot.doc.working ?? "");
  const spaces = $derived(
    colour.working().map((one) => ({
      ...one,
      value: `work:${one.value}`,
      chosen: one.value === working,
    })),
  );
  const groups = $derived([
    { name: "Looked at", options: options.map((one) => ({ ...one, chosen: one.value === value })) },
    { name: "Worked on in", options: spaces },
  ]);
  const says = $derived(
    value === "auto"
      ? ""
      : value === "plain"
        ? "plain"
        : (options.find((one) => one.value === value)?.label ?? viewing?.view ?? "table"),
  );

  $effect(() => {
    if (!open) return;
    api
      .project(desk.shot.about.project)
      .then((found) => (tables = found.footage.filter((one) => one.kind === "table")))
      .catch(notes.fault);
  });

  function pick(next: string) {
    const [kind, rest] = [next.split(":")[0], next.slice(next.indexOf(":") + 1)];
    const label = "look at it otherwise";
    const path = "/viewing";
    if (kind === "work") {
      if (rest !== working)
        desk.shot.edit([{ op: "add", path: "/working", value: rest }], "work in another space");
      return;
    }
    if (kind === "table") {
      const found = tables.find((one) => String(one.id) === rest);
      if (!found) return;
      desk.useFootage(found, path, label, { kind, display: "", view: "", table: rest });
      return;
    }
    const [display, view] = kind === "view" ? rest.split("|") : ["", ""];
    const set = kind === "auto" ? null : { kind, display, view, table: null };
    desk.shot.edit([{ op: "add", path, value: set }], label);
  }
</script>

<Select.Root
  type="single"
  bind:open
  bind:value={() => value, (next) => next !== value && pick(next)}
  items={[...options, ...spaces].map(({ value, label }) => ({ value, label }))}
>
  <Select.Trigger
    aria-label="Looked at"
    title={`How light is looked at: plainly, through a view, or through a table; and worked on: in ${working || "linear BT.709"}`}
    class="flex max-w-36 flex-none items-center gap-1 rounded px-1.5 py-0.5 hover:bg-[#555]"
  >
    <Icon name="eye" size={14} />{#if says}<span class="truncate">{says}</span>{/if}
  </Select.Trigger>
  <Select.Portal>
    <Select.Content
      class="z-80 max-h-96 w-80 overflow-y-auto rounded-md border border-ink bg-card p-1 shadow-float"
      sideOffset={3}
      side="top"
    >
      {#each groups as group (group.name)}
        <Select.Group
          class="not-first:mt-1 not-first:border-t not-first:border-faint not-first:pt-1"
        >
          <Select.GroupHeading class="px-2 py-0.5 text-[11.5px] text-quiet"
            >{group.name}</Select.GroupHeading
          >
          {#each group.options as option (option.value)}
            <Select.Item
              value={option.value}
              label={option.label}
              class={[
                "flex cursor-pointer flex-col rounded px-2 py-1 text-[13px] outline-none data-highlighted:bg-stand",
                option.chosen && "font-semibold",
              ]}
            >
              <span>{option.label}{option.chosen ? " ✓" : ""}</span><small
                class="text-[11.5px] font-normal text-quiet">{option.hint}</small
              >
            </Select.Item>
          {/each}
        </Select.Group>
      {/each}
    </Select.Content>
  </Select.Portal>
</Select.Root>
