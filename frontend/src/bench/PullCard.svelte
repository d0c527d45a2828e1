<script lang="ts">
  import type { DeclaredOut, Matte, Pull } from "../lib/api-types";
  import type { Desk } from "../lib/desk.svelte";
  import Card from "./Card.svelte";
  import Field from "./Field.svelte";
  import Joining from "./Joining.svelte";

  type Props = {
    desk: Desk;
    matte: Matte;
    pull: Pull;
    declared: DeclaredOut;
    deeds: Record<string, (() => void) | undefined>;
  };
  let { desk, matte, pull, declared, deeds }: Props = $props();
  const index = $derived(matte.pulls.findIndex((p) => p.id === pull.id));
  const path = $derived(`${desk.shot.mattePath(matte.id)}/pulls/${index}`);
  const picking = $derived(desk.tool === "sample" && desk.sampling === pull.id);

  function pick() {
    desk.sampling = picking ? null : pull.id;
    desk.tool = picking ? "hand" : "sample";
    if (!picking && (desk.mode === "matte" || desk.mode === "unroll")) desk.mode = "result";
  }
</script>

<Card
  title={declared.label}
  note="pull"
  fields={declared.fields.length + (pull.kind === "colour_key" ? 1 : 0)}
  on={pull.on}
  {...deeds}
>
  {#if pull.kind === "colour_key"}
    <button class="btn" aria-pressed={picking} onclick={pick}
      >{picking ? "Drag over the colour" : "Pick from the picture"}</button
    >
  {/if}
  {#each declared.fields as field (field.name)}
    <Field
      {desk}
      {field}
      value={pull.params[field.name]}
      path={`${path}/params/${field.name}`}
      about={declared.label}
    />
  {/each}
  <Joining {desk} {pull} {path} about={declared.label} first={index === 0} />
</Card>

<style>
  .btn[aria-pressed="true"] {
    border-color: var(--ink);
    background: var(--stand);
  }
</style>
