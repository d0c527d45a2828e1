<!-- One declared value: its name, its control, and the ring of its keyframes. -->
<script lang="ts">
  import type { FieldOut } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import {
    carried,
    isDriver,
    isOn,
    isRide,
    keysOf,
    ringOf,
    toggledKey,
    toggledSwitch,
    valueAt,
    withEase,
    withValue,
    type Ease,
    type Plain,
  } from "../lib/values";
  import Driving from "./Driving.svelte";
  import FieldMenu from "./FieldMenu.svelte";
  import KeyRing from "./KeyRing.svelte";
  import Choice from "./field/Choice.svelte";
  import Colour from "./field/Colour.svelte";
  import Curve from "./field/Curve.svelte";
  import NumberControl from "./field/Number.svelte";
  import Parts from "./field/Parts.svelte";
  import Point from "./field/Point.svelte";
  import Riding from "./Riding.svelte";
  import Ramp from "./field/Ramp.svelte";
  import Reference from "./field/Reference.svelte";
  import Toggle from "../ui/Toggle.svelte";
  import type { Rows } from "../lib/curves";
  import type { Rgb, Xy } from "../lib/values";

  type Props = { desk: Desk; field: FieldOut; value: unknown; path: string; about: string };
  let { desk, field, value, path, about }: Props = $props();

  const stored = $derived(value === undefined ? field.default : value);
  const switches = $derived(field.control === "switch");
  const now = $derived(
    switches ? isOn(stored, desk.env) : valueAt(stored, desk.env, field.low, field.high),
  );
  const driver = $derived(isDriver(stored) ? stored : null);
  const ride = $derived(isRide(stored) ? stored : null);
  /** What a hand sets: the value itself, or what a driver moves. */
  const base = $derived(driver ? valueAt(driver.base, desk.env) : now);
  const ring = $derived(ringOf(stored, desk.playback.frame));
  const name = $derived(`${about}: ${field.label}`);
  const ease = $derived(
    switches ? undefined : keysOf(stored).find((k) => k.frame === desk.playback.frame)?.ease,
  );
  /** What the slider spans: a typed value may lie beyond. */
  const reach = $derived(field.slide ?? [field.low, field.high]);
  /** What is drawn takes the whole width of its column. */
  const drawn = $derived(field.control === "curve" || field.control === "ramp");

  function put(next: unknown, label = field.label.toLowerCase(), gesture: string | null = null) {
    desk.shot.edit([{ op: "add", path, value: next }], label, gesture);
  }

  function set(plain: Plain, gesture: string | null = null) {
    // what rides is set where it is seen, and kept where it would be without
    const own = ride ? carried(ride, plain as Xy, desk.env, true) : plain;
    const ops = [{ op: "add", path, value: withValue(stored, desk.playback.frame, own) }];
    // a place that is remembered with its frame was set on this one
    if (field.dated) {
      const dated = path.replace(/[^/]+$/, field.dated);
      ops.push({ op: "add", path: dated, value: desk.playback.frame });
    }
    desk.shot.edit(ops, field.label.toLowerCase(), gesture);
  }

  /** What a number that is a frame is shown as: by the shot's own numbers. */
  const from = $derived(field.frame ? desk.shot.doc.first_number : 0);

  const reset = () => put(field.default, `reset ${field.label.toLowerCase()}`);

  function keyed() {
    if (!field.animatable) return;
    const next = switches
      ? toggledSwitch(stored, desk.playback.frame, now === true, true)
      : toggledKey(stored, desk.playback.frame);
    put(next, ring === "here" ? "remove keyframe" : "keyframe");
  }

  const eases: Ease[] = ["smooth", "linear", "hold", "free"];
  function nextEase() {
    if (!ease) return;
    const to = eases[(eases.indexOf(ease) + 1) % eases.length];
    put(withEase(stored, desk.playback.frame, to), `ease: ${to}`);
  }

  // what has a place on the picture can be taken hold of there; a new value leaves its handle in the hand
  const held = $derived(field.control === "point" || field.direction);
  $effect(() => {
    if (held) desk.handles.set(path, { name, field, value: base as Xy | number, set });
  });
  $effect(() => {
    const here = path;
    return () => desk.handles.delete(here);
  });
</script>

<div class="break-inside-avoid">
  <div
    class={[
      "grid min-h-6 items-center gap-1",
      drawn
        ? "grid-cols-[minmax(0,1fr)_minmax(24px,auto)]"
        : "grid-cols-[minmax(78px,33%)_minmax(0,1fr)_58px_minmax(24px,auto)]",
    ]}
    data-control={field.control}
    role="presentation"
    onpointerenter={() => (desk.hovered = keyed)}
    onpointerleave={() => desk.hovered === keyed && (desk.hovered = null)}
  >
    {#if field.animatable && (field.control === "number" || field.control === "point")}
      <FieldMenu
        {desk}
        {field}
        {stored}
        {path}
        {name}
        reach={reach[1] - reach[0]}
        onride={field.control === "point"
          ? (riding) => put({ ...riding, base: ride?.base ?? stored }, "ride on a track")
          : undefined}
        onput={put}
        onreset={reset}
      />
    {:else}
      <span class="truncate font-cond text-[12.5px] leading-tight text-quiet" title={field.hint}
        >{field.label}</span
      >
    {/if}
    {#if field.control === "number"}
      <NumberControl
        {field}
        {name}
        {reach}
        {from}
        value={base as number}
        onset={set}
        onreset={reset}
      />
    {:else if field.control === "colour"}
      <Colour {desk} {name} value={now as Rgb} onset={set} />
    {:else if field.control === "point"}
      <Point {field} {name} value={now as Xy} onset={set} />
    {:else if field.control === "choice"}
      <Choice {field} {name} value={stored as string} onpick={(next) => put(next)} />
    {:else if field.control === "parts"}
      <Parts {desk} {path} {name} value={(stored as string[] | null) ?? []} onset={put} />
    {:else if ["footage", "plane", "matte", "table"].includes(field.control)}
      <Reference {desk} {field} {path} {name} value={(stored as string | null) ?? null} />
    {:else if field.control === "switch"}
      <Toggle
        {name}
        on={now === true}
        onturn={(on) => put(toggledSwitch(stored, desk.playback.frame, on, false))}
      />
      <span></span>
    {/if}
    {#if field.animatable}
      <KeyRing {name} {ring} {ease} onkey={keyed} onease={nextEase} />
    {:else if field.control !== "choice"}<span></span>{/if}
  </div>
  {#if field.warn && typeof now === "number" && now > field.warn[0]}
    <p class="my-0.5 text-[11.5px] text-redtext" role="alert">{field.warn[1]}</p>
  {/if}
  {#if field.control === "curve"}
    <Curve {desk} {field} {name} value={now as Rows} onset={set} onreset={reset} />
  {:else if field.control === "ramp"}
    <Ramp {name} value={now as Rows} onset={set} onreset={reset} />
  {/if}
  {#if ride}
    <Riding
      {desk}
      riding={ride}
      {name}
      {path}
      onput={(next, label) => put(next ? { ...ride, ...next } : ride.base, label)}
    />
  {/if}
  {#if driver}<Driving {field} {driver} {name} onput={put} />{/if}
</div>
