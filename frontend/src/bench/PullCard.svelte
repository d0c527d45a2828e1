<script lang="ts">
  import { api } from "../lib/api";
  import type { DeclaredOut, Matte, Pull } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import Card from "./Card.svelte";
  import type { Deeds } from "./recipes";
  import Fields from "./Fields.svelte";
  import Joining from "./Joining.svelte";
  import CleanPlate from "./CleanPlate.svelte";
  import KeySpread from "./KeySpread.svelte";
  import { notes } from "../lib/notes.svelte";
  import Button from "../ui/Button.svelte";

  type Props = {
    desk: Desk;
    matte: Matte;
    pull: Pull;
    declared: DeclaredOut;
    deeds: Deeds;
    /** Its name, with a number from the second of its kind on. */
    title: string;
  };
  let { desk, matte, pull, declared, deeds, title }: Props = $props();
  const index = $derived(matte.pulls.findIndex((p) => p.id === pull.id));
  const path = $derived(desk.selection.pullPath(pull.id));
  const picking = $derived(desk.tools.tool === "sample" && desk.tools.sampling === pull.id);

  async function suggest() {
    try {
      const { values, edge } = await api.suggest(desk.shot.id, pull.id, desk.playback.frame);
      const own = Object.entries(values).map(([name, value]) => [`${path}/params/${name}`, value]);
      // what another key of this matte needed stays
      const of = `${desk.shot.mattePath(matte.id)}/edge`;
      const more = Object.entries(edge)
        .filter(([name, value]) => value > Number(matte.edge[name] ?? 0))
        .map(([name, value]) => [`${of}/${name}`, value]);
      const ops = [...own, ...more].map(([to, value]) => ({ op: "add", path: String(to), value }));
      desk.shot.edit(ops, "set for this frame");
    } catch (error) {
      notes.fault(error);
    }
  }

  function pick() {
    desk.tools.choosePull(pull.id);
    desk.tools.sampling = picking ? null : pull.id;
    desk.tools.tool = picking ? "hand" : "sample";
    if (!picking && (desk.view.mode === "matte" || desk.view.mode === "unroll"))
      desk.view.mode = "result";
  }
</script>

<Card {title} note="pull" on={pull.on} onpick={() => desk.tools.choosePull(pull.id)} {...deeds}>
  {#if pull.kind === "colour_key"}
    <div class="mb-1 flex flex-wrap gap-1">
      <Button aria-pressed={picking} onclick={pick}
        >{picking ? "Drag over the colour" : "Pick from the picture"}</Button
      >
      <Button
        disabled={desk.shot.saving}
        onclick={suggest}
        aria-label="Fit to the thing"
        title="Widens the ranges to the edges of the thing that was picked; fills its holes, drops specks"
        >Fit</Button
      >
    </div>
  {/if}
  {#if pull.kind === "colour_key" || pull.kind === "luma_key"}
    <div class="break-inside-avoid"><KeySpread {desk} {pull} {declared} {path} /></div>
  {/if}
  {#if pull.kind === "difference_key"}
    <div class="mb-1 grid break-inside-avoid justify-items-start gap-1">
      <CleanPlate {desk} path={`${path}/params/plate`} />
      <Button disabled={!pull.params.plate || desk.shot.saving} onclick={suggest}
        >Set for this frame</Button
      >
    </div>
  {/if}
  <Fields
    {desk}
    fields={declared.fields}
    values={pull.params}
    path={`${path}/params`}
    about={title}
  />
  <Joining {desk} {pull} {path} about={title} first={index === 0} />
</Card>
