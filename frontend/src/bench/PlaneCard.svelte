<script lang="ts">
  import type { DeclaredOut, Gate, Plane } from "../lib/api-types";
  import type { Desk } from "../lib/desk.svelte";
  import Tries from "../stand/Tries.svelte";
  import Card from "./Card.svelte";
  import Field from "./Field.svelte";
  import Fields from "./Fields.svelte";
  import Pick from "./Pick.svelte";

  let { desk, plane, declared }: { desk: Desk; plane: Plane; declared: DeclaredOut } = $props();
  const shot = $derived(desk.shot);
  const path = $derived(shot.planePath(plane.id));
  const first = $derived(shot.doc!.first_number);
  const mattes = $derived(shot.doc!.mattes.map((m): [string, string] => [m.id, m.name]));
  const groups = $derived(
    shot
      .doc!.planes.filter((p) => p.kind === "group" && !holds(plane.id, p.id))
      .map((p): [string, string] => [p.id, p.name]),
  );
  const options = (family: "laying" | "gate", name: string): [string, string][] =>
    shot.field(family, name).options.map((one) => [one, one]);
  const opacity = $derived(shot.field("laying", "opacity"));
  const rim = $derived(["inner", "outer", "soft"].map((name) => shot.field("gate", name)));

  function holds(outer: string, inner: string): boolean {
    for (let at: string | null = inner; at; at = shot.plane(at)?.group ?? null)
      if (at === outer) return true;
    return false;
  }

  function set(name: string, value: unknown, label: string) {
    shot.edit([{ op: "replace", path: `${path}/${name}`, value }], label);
  }

  function gate(change: Partial<Gate>) {
    const blank: Gate = {
      matte: "", part: "inside", invert: false, inner: 8, outer: 8, soft: 2, excluded: [],
    }; // prettier-ignore
    const next = { ...(plane.gate ?? blank), ...change };
    set("gate", next.matte ? next : null, "gate");
  }

  function exclude(id: string, on: boolean) {
    const others = plane.gate!.excluded.filter((one) => one !== id);
    gate({ excluded: on ? [...others, id] : others });
  }

  function bound(name: "first" | "last", text: string) {
    const frame = text.trim() === "" ? null : Math.round(Number(text)) - first;
    if (frame !== null && !(frame >= 0)) return;
    set(name, frame, name === "first" ? "first frame" : "last frame");
  }
</script>

{#snippet gated()}
  <Pick
    label="Gate"
    value={plane.gate?.matte ?? ""}
    options={[["", "none"], ...mattes]}
    onpick={(matte) => gate({ matte })}
  />
  {#if plane.gate}
    <Pick
      label="Part"
      value={plane.gate.part}
      options={options("gate", "part")}
      onpick={(part) => gate({ part: part as Gate["part"] })}
    />
    <label class="check"
      ><input
        type="checkbox"
        checked={plane.gate.invert}
        onchange={(e) => gate({ invert: e.currentTarget.checked })}
      /> inverted</label
    >
    {#if plane.gate.part === "rim"}
      {#each rim as field (field.name)}
        <Field
          {desk}
          {field}
          value={plane.gate[field.name as "inner"]}
          path={`${path}/gate/${field.name}`}
          about={plane.name}
        />
      {/each}
    {/if}
    {#if mattes.length > 1}
      <fieldset>
        <legend>Left out of it</legend>
        {#each mattes.filter(([id]) => id !== plane.gate!.matte) as [id, name] (id)}
          <label class="check"
            ><input
              type="checkbox"
              checked={plane.gate.excluded.includes(id)}
              onchange={(e) => exclude(id, e.currentTarget.checked)}
            />
            {name}</label
          >
        {/each}
      </fieldset>
    {/if}
  {/if}
{/snippet}

<Card
  title={declared.label}
  note="plane"
  selected
  wide={plane.kind === "element" || plane.kind === "fill" || !!plane.gate}
  onarrive={(way) => (desk.arriving = { places: [`${path}/opacity`], title: plane.name, way })}
>
  <div class="half">
    <Field
      {desk}
      field={opacity}
      value={plane.opacity}
      path={`${path}/opacity`}
      about={plane.name}
    />
    <Pick
      label="Blend"
      value={plane.blend}
      options={options("laying", "blend")}
      onpick={(v) => set("blend", v, "blend")}
    />
    {#if declared.needs_matte}
      <Pick
        label="Matte"
        value={plane.matte ?? ""}
        options={mattes}
        onpick={(v) => set("matte", v, "matte")}
      />
    {/if}
    {#if !plane.gate}{@render gated()}{/if}
    <div class="frames">
      <span>Frames</span>
      {#each ["first", "last"] as const as name (name)}
        <input
          class="field"
          inputmode="numeric"
          aria-label={`${plane.name}: ${name} frame`}
          placeholder={name === "first" ? "start" : "end"}
          value={plane[name] === null ? "" : String(first + plane[name]!)}
          onchange={(e) => bound(name, e.currentTarget.value)}
        />
        <button
          class="btn-bare"
          title={`The ${name} frame is the one shown`}
          aria-label={`${plane.name}: ${name} frame is here`}
          onclick={() => set(name, desk.frame, `${name} frame`)}
          >{name === "first" ? "⊢" : "⊣"}</button
        >
      {/each}
    </div>
    {#if groups.length}
      <Pick
        label="Held by"
        value={plane.group ?? ""}
        options={[["", "the stand"], ...groups]}
        onpick={(v) => set("group", v || null, "group")}
      />
    {/if}
  </div>
  <div class="half">
    {#if plane.gate}{@render gated()}{/if}
    {#if plane.kind === "element" && plane.params.footage}<Tries {desk} {plane} />{/if}
    <Fields
      {desk}
      fields={declared.fields}
      values={plane.params}
      path={`${path}/params`}
      about={plane.name}
    />
  </div>
</Card>

<style>
  .check {
    display: flex;
    align-items: center;
    gap: 5px;
    min-height: 24px;
    font-size: 12px;
  }
  fieldset {
    margin: 2px 0;
    border: 1px solid var(--rule);
    border-radius: 4px;
    padding: 0 8px;
  }
  legend {
    font-size: 11.5px;
    color: var(--quiet);
    padding: 0 3px;
  }
  .frames {
    display: grid;
    grid-template-columns: 46px minmax(0, 1fr) 24px minmax(0, 1fr) 24px;
    align-items: center;
    gap: 3px;
    font-size: 12px;
  }
  .frames span {
    color: var(--quiet);
  }
  .frames input {
    min-width: 0;
    padding: 1px 4px;
    font-family: var(--font-mono);
    font-size: 12px;
  }
</style>
