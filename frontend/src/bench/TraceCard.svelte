<script lang="ts">
  import { api } from "../lib/api";
  import type { DeclaredOut, Matte, Pull } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { follow } from "../desk/deeds";
  import { notes } from "../lib/notes.svelte";
  import { find } from "../picture/steps";
  import Button from "../ui/Button.svelte";
  import Card from "./Card.svelte";
  import type { Deeds } from "./recipes";
  import Fields from "./Fields.svelte";
  import Joining from "./Joining.svelte";

  let {
    desk,
    matte,
    pull,
    declared,
    deeds,
    title,
  }: {
    desk: Desk;
    matte: Matte;
    pull: Pull;
    declared: DeclaredOut;
    deeds: Deeds;
    /** Its name, with a number from the second of its kind on. */
    title: string;
  } = $props();
  const shot = $derived(desk.shot);
  const path = $derived(desk.selection.pullPath(pull.id));
  const here = $derived(pull.marks.filter((m) => m.frame === desk.playback.frame));
  const ins = $derived(here.filter((m) => m.kind === "in").length);
  const outs = $derived(here.filter((m) => m.kind === "out" || m.kind === "near").length);
  const found = $derived(here.some((m) => m.kind === "found"));
  const solved = $derived(!!shot.frame(pull.id, desk.playback.frame)?.blob);
  const busy = $derived(shot.following);

  function clear() {
    // from the back, so that the places before stay what they were
    const ops = pull.marks
      .map((m, i) => ({ op: "remove", path: `${path}/marks/${i}`, frame: m.frame }))
      .filter((op) => op.frame === desk.playback.frame)
      .reverse()
      .map(({ op, path }) => ({ op, path }));
    if (ops.length) shot.edit(ops, "clear marks of this frame");
  }
</script>

{#snippet finder(kind: "plain" | "bare")}
  <Button
    {kind}
    title="Looks for a person, or for what moves against the background; marks mend what it finds"
    onclick={() => find(desk, pull)}>Find the subject</Button
  >
{/snippet}

{#snippet marker(tool: "in" | "out", says: string, hint: string)}
  <button
    type="button"
    class={[
      "min-h-6 rounded border-[1.5px] border-red px-1.5 text-xs text-redtext aria-pressed:bg-red/12",
      tool === "out" && "border-dashed",
    ]}
    aria-pressed={desk.tools.tool === tool}
    onclick={() => (desk.tools.tool = tool)}
    title={hint}>{says}</button
  >
{/snippet}

<Card
  {title}
  note={`frame ${shot.doc.first_number + desk.playback.frame}`}
  onpick={() => desk.tools.choosePull(pull.id)}
  on={pull.on}
  {...deeds}
>
  <div class="mb-1 flex flex-wrap gap-1">
    {@render marker("in", `● in marks ${ins}`, "In mark (I)")}
    {@render marker("out", `┼ out marks ${outs}`, "Out mark (O)")}
  </div>
  {#if !found && !solved}{@render finder("plain")}{/if}
  {#if found && !solved && !shot.saving}
    <p role="status" class="my-0.5 max-w-64 text-redtext">
      Nothing was found on this frame: no person, nothing that moves. Draw an in mark.
    </p>
  {/if}
  <Fields
    {desk}
    fields={declared.fields}
    values={pull.params}
    path={`${path}/params`}
    about={title}
  />
  <div class="mt-1.5 flex break-inside-avoid flex-wrap gap-1">
    {#if busy}
      <Button onclick={() => api.stop(busy.id).catch((e) => notes.fault(e))}>Stop following</Button>
    {:else}
      <Button
        disabled={!solved || desk.playback.frame <= shot.range[0]}
        title="Follow back (Shift F)"
        onclick={() => follow(desk, -1)}>◀ Follow back</Button
      >
      <Button
        disabled={!solved || desk.playback.frame >= shot.range[1]}
        title="Follow on (F)"
        onclick={() => follow(desk, 1)}>Follow on ▶</Button
      >
    {/if}
    {#if !found && solved}{@render finder("bare")}{/if}
    {#if here.length}<Button kind="bare" onclick={clear}>Clear marks</Button>{/if}
  </div>
  {#if matte.pulls.length > 1 || shot.doc.mattes.length > 1}
    <Joining {desk} {pull} {path} about={title} first={matte.pulls[0].id === pull.id} />
  {/if}
</Card>
