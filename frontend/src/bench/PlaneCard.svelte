<script lang="ts">
  import type { DeclaredOut, FieldOut, Plane } from "../lib/api-types";
  import type { Desk } from "../lib/desk.svelte";
  import Card from "./Card.svelte";
  import Field from "./Field.svelte";
  import Fields from "./Fields.svelte";

  let { desk, plane, declared }: { desk: Desk; plane: Plane; declared: DeclaredOut } = $props();
  const shot = $derived(desk.shot);
  const path = $derived(shot.planePath(plane.id));
  const blends = ["normal", "add", "screen", "multiply"];
  const opacity: FieldOut = {
    name: "opacity", label: "Opacity", hint: "how much of the plane shows", control: "number", default: 1,
    low: 0, high: 1, step: 0.01, unit: "", animatable: true, neutral: 1, options: [],
  }; // prettier-ignore

  function set(name: string, value: unknown, label: string) {
    shot.edit([{ op: "replace", path: `${path}/${name}`, value }], label);
  }

  function gate(matte: string, part: string) {
    set("gate", matte ? { matte, part } : null, "gate");
  }
</script>

<Card title={declared.label} note="plane" selected>
  <Field {desk} field={opacity} value={plane.opacity} path={`${path}/opacity`} about={plane.name} />
  <label>
    <span>Blend</span>
    <select
      class="field"
      value={plane.blend}
      onchange={(e) => set("blend", e.currentTarget.value, "blend")}
    >
      {#each blends as blend (blend)}<option>{blend}</option>{/each}
    </select>
  </label>
  {#if declared.needs_matte}
    <label>
      <span>Matte</span>
      <select
        class="field"
        value={plane.matte}
        onchange={(e) => set("matte", e.currentTarget.value, "matte")}
      >
        {#each shot.doc!.mattes as matte (matte.id)}<option value={matte.id}>{matte.name}</option
          >{/each}
      </select>
    </label>
  {/if}
  <label>
    <span>Gate</span>
    <select
      class="field"
      value={plane.gate?.matte ?? ""}
      onchange={(e) => gate(e.currentTarget.value, plane.gate?.part ?? "inside")}
    >
      <option value="">none</option>
      {#each shot.doc!.mattes as matte (matte.id)}<option value={matte.id}>{matte.name}</option
        >{/each}
    </select>
  </label>
  {#if plane.gate}
    <label>
      <span>Part</span>
      <select
        class="field"
        value={plane.gate.part}
        onchange={(e) => gate(plane.gate!.matte, e.currentTarget.value)}
      >
        <option>inside</option>
        <option>outside</option>
      </select>
    </label>
  {/if}
  <Fields
    {desk}
    fields={declared.fields}
    values={plane.params}
    path={`${path}/params`}
    about={plane.name}
  />
</Card>

<style>
  label {
    display: grid;
    grid-template-columns: 78px minmax(0, 1fr);
    align-items: center;
    gap: 5px;
    margin: 2px 0;
    font-size: 12px;
  }
  span {
    color: var(--quiet);
  }
  select {
    padding: 1px 4px;
    min-width: 0;
  }
</style>
