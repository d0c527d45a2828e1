<script lang="ts">
  import type { DeclaredOut, Gate, Plane } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import type { Snippet } from "svelte";
  import Tries from "../stand/Tries.svelte";
  import Card from "./Card.svelte";
  import Field from "./Field.svelte";
  import Fields from "./Fields.svelte";
  import { newGate } from "../stand/planes";
  import Select from "../ui/Select.svelte";
  import Segments from "../ui/Segments.svelte";

  let { desk, plane, declared }: { desk: Desk; plane: Plane; declared: DeclaredOut } = $props();
  const shot = $derived(desk.shot);
  const path = $derived(shot.planePath(plane.id));
  const first = $derived(shot.doc.first_number);
  const mattes = $derived(shot.doc.mattes.map((m) => ({ value: m.id, label: m.name })));
  const groups = $derived(
    shot.doc.planes
      .filter((p) => p.kind === "group" && !holds(plane.id, p.id))
      .map((p) => ({ value: p.id, label: p.name })),
  );
  const options = (family: "laying" | "gate", name: string) =>
    shot.field(family, name).options.map((one) => ({ value: one, label: one }));
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
    const next = { ...(plane.gate ?? newGate(shot, "")), ...change };
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

{#snippet row(label: string, control: Snippet)}
  <div class="grid min-h-6 break-inside-avoid grid-cols-[78px_minmax(0,1fr)] items-center gap-1">
    <span class="text-xs text-quiet">{label}</span>
    {@render control()}
  </div>
{/snippet}

{#snippet check(label: string, on: boolean, turn: (on: boolean) => void)}
  <label class="flex min-h-6 break-inside-avoid items-center gap-1.5 text-xs"
    ><input type="checkbox" checked={on} onchange={(e) => turn(e.currentTarget.checked)} />
    {label}</label
  >
{/snippet}

{#snippet blending()}
  <Select
    name={`${plane.name}: Blend`}
    value={plane.blend}
    options={options("laying", "blend")}
    onpick={(v) => set("blend", v, "blend")}
  />
{/snippet}
{#snippet ofMatte()}
  <Select
    name={`${plane.name}: Matte`}
    value={plane.matte ?? ""}
    options={mattes}
    onpick={(v) => set("matte", v, "matte")}
  />
{/snippet}
{#snippet gating()}
  <Select
    name={`${plane.name}: Gate`}
    value={plane.gate?.matte ?? ""}
    options={[{ value: "", label: "none" }, ...mattes]}
    onpick={(matte) => gate({ matte })}
  />
{/snippet}
{#snippet parts()}
  <Segments
    name={`${plane.name}: Part`}
    value={plane.gate!.part}
    options={options("gate", "part")}
    onpick={(part) => gate({ part: part as Gate["part"] })}
  />
{/snippet}
{#snippet holding()}
  <Select
    name={`${plane.name}: Held by`}
    value={plane.group ?? ""}
    options={[{ value: "", label: "the stand" }, ...groups]}
    onpick={(v) => set("group", v || null, "group")}
  />
{/snippet}

<Card
  title={declared.label}
  note="plane"
  onarrive={(way) => (desk.arriving = { places: [`${path}/opacity`], title: plane.name, way })}
>
  <Fields
    {desk}
    fields={declared.fields}
    values={plane.params}
    path={`${path}/params`}
    about={plane.name}
  />
  <Field {desk} field={opacity} value={plane.opacity} path={`${path}/opacity`} about={plane.name} />
  {@render row("Blend", blending)}
  {#if declared.needs_matte}{@render row("Matte", ofMatte)}{/if}
  {#if groups.length}{@render row("Held by", holding)}{/if}
  <div
    class="grid min-h-6 break-inside-avoid grid-cols-[44px_minmax(0,1fr)_24px_minmax(0,1fr)_24px] items-center gap-1 text-xs"
  >
    <span class="text-quiet">Frames</span>
    {#each ["first", "last"] as const as name (name)}
      <input
        class="min-h-6 min-w-0 rounded border border-rule bg-card px-1 font-mono text-xs"
        inputmode="numeric"
        aria-label={`${plane.name}: ${name} frame`}
        placeholder={name === "first" ? "start" : "end"}
        value={plane[name] === null ? "" : String(first + plane[name]!)}
        onchange={(e) => bound(name, e.currentTarget.value)}
      />
      <button
        type="button"
        class="btn-bare"
        title={`The ${name} frame is the one shown`}
        aria-label={`${plane.name}: ${name} frame is here`}
        onclick={() => set(name, desk.playback.frame, `${name} frame`)}
        >{name === "first" ? "⊢" : "⊣"}</button
      >
    {/each}
  </div>
  {@render row("Gate", gating)}
  {#if plane.gate}
    {@render row("Part", parts)}
    {@render check("inverted", plane.gate.invert, (invert) => gate({ invert }))}
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
    {#each mattes.filter((m) => m.value !== plane.gate!.matte) as one (one.value)}
      {@render check(`without ${one.label}`, plane.gate.excluded.includes(one.value), (on) =>
        exclude(one.value, on),
      )}
    {/each}
  {/if}
  {#if plane.kind === "element" && plane.params.footage}<Tries {desk} {plane} />{/if}
</Card>
