<script lang="ts">
  import type { Matte } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import Icon from "../lib/Icon.svelte";
  import { newMatte } from "./mattes";
  import Button from "../ui/Button.svelte";
  import Heading from "./Heading.svelte";
  import Thumb from "./Thumb.svelte";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);

  const label = (kind: string) => shot.entry("pull", kind).label.toLowerCase();

  function reach(matte: Matte): string {
    const pull = shot.trace(matte);
    // what needs no marks is there on every frame
    if (!pull) return matte.pulls.length ? "all" : "";
    return desk.reach(pull.id);
  }

  function add() {
    const number = shot.doc.mattes.length + 1;
    const value = newMatte(number === 1 ? "Subject" : `Subject ${number}`, shot.freshId("m"));
    const id = value.id;
    shot.edit([{ op: "add", path: "/mattes/-", value }], "add matte");
    desk.selection.thing = { kind: "matte", id };
    desk.view.mode = "veil";
    desk.tools.tool = "in";
  }

  function remove(matte: Matte) {
    shot.edit([{ op: "remove", path: shot.mattePath(matte.id) }], `remove ${matte.name}`);
    desk.selection.thing = null;
  }

  const used = $derived(
    new Set([
      ...shot.doc.planes.flatMap((p) => [p.matte, p.gate?.matte, ...(p.gate?.excluded ?? [])]),
      ...shot.doc.mattes.flatMap((m) => m.pulls.map((pull) => pull.region)),
    ]),
  );
</script>

<section class="flex max-h-[262px] flex-col border-t border-rule bg-stand pb-2" aria-label="Mattes">
  <Heading name="Mattes" note={shot.doc.mattes.length}>
    <Button kind="bare" onclick={add}><Icon name="plus" size={13} /> Matte</Button>
  </Heading>
  <ul class="overflow-y-auto">
    {#each shot.doc.mattes as matte (matte.id)}
      {@const selected = desk.selection.is("matte", matte.id)}
      {@const doubts = desk.doubts(shot.trace(matte)?.id)}
      <!-- the bar marks what the selected plane rests on -->
      <li
        data-used={desk.selection.uses.has(matte.id) || undefined}
        class={[
          "flex items-center",
          selected
            ? "bg-card inset-ring-[1.5px] inset-ring-ink"
            : desk.selection.uses.has(matte.id) && "inset-shadow-[4px_0_0_-1px] inset-shadow-ink",
        ]}
      >
        <button
          class="flex min-w-0 flex-1 items-center gap-2.5 py-1.5 pr-2.5 pl-3.5 text-left"
          data-pick
          aria-pressed={selected}
          onclick={() => {
            desk.selection.thing = { kind: "matte", id: matte.id };
            if (desk.view.mode === "result") desk.view.mode = "veil";
          }}
        >
          <span class="h-9 w-16 flex-none overflow-hidden bg-black"
            ><Thumb
              {desk}
              view={{ kind: "matte", matte: matte.id, pulls: null, edged: true }}
              alt=""
            /></span
          >
          <span class="grid min-w-0 flex-1">
            <strong class="truncate font-semibold">{matte.name}</strong>
            <span class="text-[11.5px] text-quiet"
              >{matte.pulls.map((p) => label(p.kind)).join(", ") || "no pull"}</span
            >
          </span>
          <span
            data-reach
            class="grid justify-items-end text-[11.5px] whitespace-nowrap text-quiet"
          >
            {matte.settled ? "settled" : reach(matte)}
            {#if shot.outdated.includes(matte.id)}<b class="font-semibold text-redtext"
                >out of date</b
              >{/if}
            {#if doubts}<b class="font-semibold text-redtext">{doubts} in doubt</b>{/if}
          </span>
        </button>
        {#if selected && !used.has(matte.id)}
          <Button kind="bare" aria-label={`Remove ${matte.name}`} onclick={() => remove(matte)}
            ><Icon name="close" size={13} /></Button
          >
        {/if}
      </li>
    {:else}
      <li class="px-3.5 pt-1 pb-2 text-quiet">
        No matte yet. “+ Matte” starts one with a trace: mark the subject, and follow it.
      </li>
    {/each}
  </ul>
</section>
