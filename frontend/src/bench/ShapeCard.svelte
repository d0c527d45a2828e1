<script lang="ts">
  import type { DeclaredOut, Matte, Pull, Riding as Ride, Shape, ShapeKey } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import Icon from "../lib/Icon.svelte";
  import { changed, rounded } from "../lib/shape-edits";
  import { pointed, shapeAt } from "../lib/shapes";
  import { newGesture } from "../lib/values";
  import Card from "./Card.svelte";
  import type { Deeds } from "./recipes";
  import Fields from "./Fields.svelte";
  import Joining from "./Joining.svelte";
  import Button from "../ui/Button.svelte";
  import Select from "../ui/Select.svelte";
  import Plain from "./Plain.svelte";
  import Riding from "./Riding.svelte";
  import { askRide, trackOfKeys } from "../desk/rides";

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
  const path = $derived(desk.selection.pullPath(pull.id));
  const active = $derived(desk.selection.pull?.id === pull.id);
  const shape = $derived(
    active ? pull.shapes.find((one) => one.id === desk.selection.shapeId) : undefined,
  );
  const key = $derived(shape && shapeAt(shape, desk.playback.frame));
  const here = $derived(shape?.keys.find((k) => k.frame === desk.playback.frame));
  const joins = ["add", "subtract", "intersect"] as const;
  const eases = ["linear", "smooth", "hold"] as const;
  let gesture = "";

  function put(next: Shape, label: string, kept: string | null = null) {
    desk.tools.choosePull(pull.id);
    desk.tools.putShape(next, label, kept);
  }

  function turn() {
    if (!shape || !key) return;
    if (!here) return put(changed(shape, desk.playback.frame, rounded(key), "frame"), "keyframe");
    if (shape.keys.length > 1)
      put({ ...shape, keys: shape.keys.filter((k) => k !== here) }, "remove keyframe");
  }

  /** Eases the key of this frame, or all of the shape's. */
  function ease(to: ShapeKey["ease"], all = false) {
    if (shape && (here || all))
      put(
        { ...shape, keys: shape.keys.map((k) => (all || k === here ? { ...k, ease: to } : k)) },
        all ? `ease all: ${to}` : `ease: ${to}`,
      );
  }

  /** The value of the picked point, or of the outline as a whole. */
  function soft(side: "inner" | "outer"): number {
    if (!shape || !key) return 0;
    if (!pointed(shape)) return key[side];
    const n = desk.selection.pointAt;
    const points = n === null ? key.points : key.points.filter((_, i) => i === n);
    return points.reduce((sum, p) => sum + p[side], 0) / Math.max(1, points.length);
  }

  function setSoft(side: "inner" | "outer", value: number, done: boolean) {
    if (!shape || !key) return;
    gesture ||= newGesture();
    const one = desk.selection.pointAt;
    const next = pointed(shape)
      ? {
          ...key,
          points: key.points.map((p, i) =>
            one === null || i === one ? { ...p, [side]: value } : p,
          ),
        }
      : { ...key, [side]: value };
    put(
      changed(shape, desk.playback.frame, rounded(next), desk.tools.shapeWay),
      `${side} softness`,
      gesture,
    );
    if (done) gesture = "";
  }

  function setRound(value: number, done: boolean) {
    if (!shape || !key) return;
    gesture ||= newGesture();
    const next = rounded({ ...key, round: value });
    put(changed(shape, desk.playback.frame, next, desk.tools.shapeWay), "round corners", gesture);
    if (done) gesture = "";
  }

  function setThick(value: number, done: boolean) {
    if (!shape || !key) return;
    gesture ||= newGesture();
    const next = rounded({ ...key, width: value });
    put(changed(shape, desk.playback.frame, next, desk.tools.shapeWay), "thickness", gesture);
    if (done) gesture = "";
  }

  function copyShape() {
    if (!shape) return;
    const twin = { ...shape, id: desk.shot.freshId("h"), name: `${shape.name} copy`.slice(0, 120) };
    put(twin, "copy shape");
    desk.selection.shapeId = twin.id;
  }

  /** Copied keys may be another shape's: they are laid down from this frame on. */
  function paste() {
    if (!shape || !desk.tools.copied?.length) return;
    const by = desk.playback.frame - desk.tools.copied[0].frame;
    const pasted = desk.tools.copied.map((k) => ({ ...k, frame: k.frame + by }));
    if (pasted[0].points.length !== shape.keys[0].points.length) return;
    const taken = new Set(pasted.map((k) => k.frame));
    const keys = [...shape.keys.filter((k) => !taken.has(k.frame)), ...pasted];
    put({ ...shape, keys: keys.sort((a, b) => a.frame - b.frame) }, "paste keys");
  }

  /** The point that rides by itself, where a change is for this point alone. */
  const onePoint = $derived(
    shape && pointed(shape) && desk.tools.shapeWay === "point" ? desk.selection.pointAt : null,
  );
  const shapePath = $derived(
    `${path}/shapes/${pull.shapes.findIndex((one) => one.id === shape?.id)}`,
  );

  function ride(riding: Ride) {
    if (!shape) return;
    const only = onePoint === null ? [] : [onePoint];
    // a point leaves the rides that it was in; the whole shape has one at the most
    const rest = shape.rides
      .map((one) => ({
        one: { ...one, only: one.only.filter((n) => !only.includes(n)) },
        whole: !one.only.length,
      }))
      .filter(({ one, whole }) => (whole ? only.length > 0 : one.only.length > 0))
      .map(({ one }) => one);
    put({ ...shape, rides: [...rest, { ...riding, only }] }, "ride on a track");
  }

  function pick(id: string) {
    desk.tools.choosePull(pull.id);
    desk.selection.shapeId = id;
    desk.selection.pointAt = null;
    desk.tools.tool = "arrow";
  }
</script>

<Card {title} note="pull" on={pull.on} onpick={() => desk.tools.choosePull(pull.id)} {...deeds}>
  <div role="group" aria-label="Shapes of this pull" class="mb-1">
    {#each pull.shapes as one (one.id)}
      <div
        class={[
          "grid break-inside-avoid grid-cols-[24px_minmax(0,1fr)_84px] items-center rounded border-[1.5px]",
          one.id === shape?.id ? "border-ink bg-paper" : "border-transparent",
        ]}
      >
        <button
          type="button"
          class="btn-bare"
          aria-label={`${one.name}: ${one.on ? "switch off" : "switch on"}`}
          aria-pressed={one.on}
          onclick={() => put({ ...one, on: !one.on }, "shape on or off")}
          ><Icon name={one.on ? "eye" : "shut"} size={14} /></button
        >
        <input
          class="min-h-6 min-w-0 bg-transparent px-0.5"
          aria-label={`Name of ${one.name}`}
          value={one.name}
          onfocus={() => pick(one.id)}
          onchange={(e) =>
            e.currentTarget.value.trim() &&
            put({ ...one, name: e.currentTarget.value.trim().slice(0, 120) }, "rename shape")}
        />
        <Select
          name={`How ${one.name} joins`}
          value={one.join}
          options={joins.map((join) => ({ value: join, label: join }))}
          onpick={(join) => put({ ...one, join: join as Shape["join"] }, "shape joins")}
        />
      </div>
    {:else}
      <p class="my-0.5 text-xs text-quiet">No shape yet.</p>
      <Button onclick={() => (desk.tools.choosePull(pull.id), (desk.tools.tool = "ellipse"))}
        >Draw an ellipse</Button
      >
      <Button onclick={() => (desk.tools.choosePull(pull.id), (desk.tools.tool = "curve"))}
        >Draw a curve</Button
      >
    {/each}
  </div>
  {#if shape && key}
    <Plain
      label="Soft inside"
      name={`${shape.name}: inner softness`}
      value={soft("inner")}
      high={200}
      unit="px"
      onset={(v, done) => setSoft("inner", v, done)}
    />
    <Plain
      label="Soft outside"
      name={`${shape.name}: outer softness`}
      value={soft("outer")}
      high={200}
      unit="px"
      onset={(v, done) => setSoft("outer", v, done)}
    />
    {#if shape.kind === "line"}
      <Plain
        label="Thickness"
        name={`${shape.name}: thickness`}
        value={key.width}
        high={100}
        unit="px"
        onset={setThick}
      />
    {/if}
    {#if shape.kind === "box"}
      <Plain
        label="Round corners"
        name={`${shape.name}: round corners`}
        value={key.round}
        high={1}
        step={0.01}
        onset={setRound}
      />
    {/if}
    {#if pointed(shape)}
      <p class="my-0.5 text-xs text-quiet">
        {desk.selection.pointAt === null
          ? "Softness of all points"
          : `Softness of point ${desk.selection.pointAt + 1}`}
      </p>
    {/if}
    <div class="flex break-inside-avoid flex-wrap gap-1 py-1">
      <Button onclick={turn} disabled={!!here && shape.keys.length === 1}
        >{here ? "Remove key" : "Key here"}</Button
      >
      <Select
        name={`${shape.name}: ease`}
        disabled={!here}
        value={here?.ease ?? "linear"}
        options={eases.map((one) => ({ value: one, label: one }))}
        onpick={(one) => ease(one as ShapeKey["ease"])}
      />
      {#if shape.keys.length > 1}
        <Button
          title="All of its keys as this one"
          onclick={() => ease(here?.ease ?? shape.keys[0].ease, true)}>All keys so</Button
        >
      {/if}
      <Button onclick={() => (desk.tools.copied = shape.keys)}>Copy keys</Button>
      <Button
        disabled={!desk.tools.copied ||
          desk.tools.copied[0].points.length !== shape.keys[0].points.length}
        onclick={paste}>Paste keys</Button
      >
      <Button
        title={onePoint === null
          ? "From this frame on it goes where a track goes"
          : "From this frame on the picked point goes where a track goes"}
        onclick={() =>
          askRide(desk, onePoint === null ? shape.name : `point ${onePoint + 1}`, ride)}
        >{onePoint === null ? "Ride …" : `Point ${onePoint + 1} rides …`}</Button
      >
      {#if shape.keys.length > 1}
        <Button
          title="A track that goes as these keyframes do"
          onclick={() => trackOfKeys(desk, shapePath)}>Make a track</Button
        >
      {/if}
      <Button onclick={copyShape}>Copy shape</Button>
      <Button onclick={() => desk.tools.removeShape(shape.id)}>Remove</Button>
    </div>
    {#each shape.rides as one, n (n)}
      <Riding
        {desk}
        riding={one}
        name={shape.name}
        part={one.only.length
          ? `Point ${one.only.map((i) => i + 1).join(", ")}`
          : shape.rides.length > 1
            ? "All else"
            : ""}
        path={`${shapePath}/rides/${n}`}
        widens
        onput={(next, label) =>
          put(
            {
              ...shape,
              rides: next
                ? shape.rides.map((r) => (r === one ? { ...r, ...next } : r))
                : shape.rides.filter((r) => r !== one),
            },
            label,
          )}
      />
    {/each}
  {:else if pull.shapes.length}
    <p class="my-0.5 text-xs text-quiet">Choose a shape in the list or on the picture.</p>
  {/if}
  <Fields
    {desk}
    fields={declared.fields}
    values={pull.params}
    path={`${path}/params`}
    about={title}
  />
  <Joining {desk} {pull} {path} about={title} first={matte.pulls[0]?.id === pull.id} />
</Card>
