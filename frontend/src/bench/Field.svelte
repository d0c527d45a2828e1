<script lang="ts">
  import type { FieldOut } from "../lib/api-types";
  import type { Desk } from "../lib/desk.svelte";
  import Driving from "./Driving.svelte";
  import FieldMenu from "./FieldMenu.svelte";
  import KeyRing from "./KeyRing.svelte";
  import Reference from "./Reference.svelte";
  import {
    fromHex,
    isDriver,
    isOn,
    keysOf,
    newGesture,
    ringOf,
    toHex,
    toggledKey,
    valueAt,
    withEase,
    withValue,
    type Ease,
    type Plain,
    type Rgb,
  } from "../lib/values";

  type Props = { desk: Desk; field: FieldOut; value: unknown; path: string; about: string };
  let { desk, field, value, path, about }: Props = $props();

  const stored = $derived(value === undefined ? field.default : value);
  const switches = $derived(field.control === "switch");
  const now = $derived(
    switches ? isOn(stored, desk.env) : valueAt(stored, desk.env, field.low, field.high),
  );
  const driver = $derived(isDriver(stored) ? stored : null);
  /** What the slider sets: the value itself, or what a driver moves. */
  const base = $derived(driver ? valueAt(driver.base, desk.env) : now);
  const ring = $derived(ringOf(stored, desk.frame));
  const name = $derived(`${about}: ${field.label}`);
  const ease = $derived(
    switches ? undefined : keysOf(stored).find((k) => k.frame === desk.frame)?.ease,
  );
  /** What the slider spans: a typed value may lie beyond. */
  const reach = $derived(field.slide ?? [field.low, field.high]);
  let gesture = "";
  let typing = $state<string | null>(null);
  const decimals = $derived(field.step >= 1 ? 0 : field.step >= 0.1 ? 1 : 2);

  function put(next: unknown, label: string, kept: string | null = null) {
    desk.shot.edit([{ op: "add", path, value: next }], label, kept);
  }

  function set(plain: Plain, kept: string | null = null) {
    put(withValue(stored, desk.frame, plain), field.label.toLowerCase(), kept);
  }

  function slide(event: Event & { currentTarget: HTMLInputElement }) {
    gesture ||= newGesture();
    set(event.currentTarget.valueAsNumber, gesture);
  }

  function typed(text: string) {
    typing = null;
    // a number, with its unit behind it or not; anything else leaves the value as it was
    const found = /^\s*([+-]?(?:\d+\.?\d*|\.\d+))/.exec(text.replace(",", "."));
    if (!found) return;
    const number = Number(found[1]);
    set(Math.max(field.low, Math.min(field.high, number)));
  }

  /** A switch is keyed as 1 and 0, and holds; without a key left it is on or off again. */
  function toggledSwitch(on: boolean, toggles: boolean): unknown {
    if (!toggles && !keysOf(stored).length) return on;
    const rest = keysOf(stored).filter((k) => k.frame !== desk.frame);
    if (toggles && ring === "here") return rest.length ? { keys: rest } : on;
    const key = { frame: desk.frame, value: on ? 1 : 0, ease: "hold" as const, handles: null };
    return { keys: [...rest, key].sort((a, b) => a.frame - b.frame) };
  }

  function keyed() {
    if (switches && field.animatable)
      return put(
        toggledSwitch(now === true, true),
        ring === "here" ? "remove keyframe" : "keyframe",
      );
    if (field.animatable)
      put(toggledKey(stored, desk.frame), ring === "here" ? "remove keyframe" : "keyframe");
  }

  const eases: Ease[] = ["smooth", "linear", "hold", "free"];
  function nextEase() {
    if (!ease) return;
    const to = eases[(eases.indexOf(ease) + 1) % eases.length];
    put(withEase(stored, desk.frame, to), `ease: ${to}`);
  }

  function step(event: KeyboardEvent) {
    if (event.key === "Enter") (event.currentTarget as HTMLInputElement).blur();
    if (event.key === "Escape") {
      typing = null;
      (event.currentTarget as HTMLInputElement).blur();
    }
    if (event.key !== "ArrowUp" && event.key !== "ArrowDown") return;
    event.preventDefault();
    const by = field.step * (event.shiftKey ? 10 : 1) * (event.key === "ArrowUp" ? 1 : -1);
    typing = null;
    set(Math.max(field.low, Math.min(field.high, Math.round(((base as number) + by) * 1e4) / 1e4)));
  }
</script>

<!-- svelte-ignore a11y_no_static_element_interactions (only tells which value the K key is for) -->
<div
  class="field-row"
  onpointerenter={() => (desk.hovered = keyed)}
  onpointerleave={() => desk.hovered === keyed && (desk.hovered = null)}
>
  {#if field.animatable && field.control === "number"}
    <FieldMenu {desk} {field} {stored} {path} {name} reach={reach[1] - reach[0]} onput={put} />
  {:else}
    <span class="field-label" title={field.hint}>{field.label}</span>
  {/if}
  {#if field.control === "number"}
    <input
      class="slider"
      type="range"
      aria-label={name}
      min={reach[0]}
      max={reach[1]}
      step={field.step}
      value={base as number}
      title="Double-click: back to the default"
      oninput={slide}
      onchange={() => (gesture = "")}
      ondblclick={() => put(field.default, `reset ${field.label.toLowerCase()}`)}
      style:--share={`${(((base as number) - reach[0]) / (reach[1] - reach[0])) * 100}%`}
    />
    <span class="number">
      <input
        type="text"
        inputmode="decimal"
        aria-label={`${name}, value`}
        value={typing ?? (base as number).toFixed(decimals)}
        onfocus={(e) => e.currentTarget.select()}
        oninput={(e) => (typing = e.currentTarget.value)}
        onblur={(e) => typing !== null && typed(e.currentTarget.value)}
        onkeydown={step}
      />{#if field.unit}<small>{field.unit}</small>{/if}
    </span>
  {:else if field.control === "colour"}
    <input
      class="colour"
      type="color"
      aria-label={name}
      value={toHex(now as Rgb)}
      oninput={(e) => {
        gesture ||= newGesture();
        set(fromHex(e.currentTarget.value), gesture);
      }}
      onchange={() => (gesture = "")}
    />
    <span class="number"><small>{toHex(now as Rgb)}</small></span>
  {:else if field.control === "choice"}
    <select
      class="field choice"
      aria-label={name}
      value={stored as string}
      onchange={(e) => put(e.currentTarget.value, field.label.toLowerCase())}
    >
      {#each field.options as option (option)}<option>{option}</option>{/each}
    </select>
  {:else if field.control === "footage" || field.control === "plane"}
    <Reference {desk} {field} {path} {name} value={(stored as string | null) ?? null} />
  {:else}
    <button
      class="switch"
      role="switch"
      aria-checked={now === true}
      aria-label={name}
      onclick={() => put(toggledSwitch(!now, false), field.label.toLowerCase())}
      >{now ? "on" : "off"}</button
    >
    <span></span>
  {/if}
  {#if field.animatable}
    <KeyRing {name} {ring} {ease} onkey={keyed} onease={nextEase} />
  {:else}<span></span>{/if}
</div>
{#if driver}<Driving {field} {driver} {name} onput={put} />{/if}

<style>
  .field-row {
    display: grid;
    grid-template-columns: 78px minmax(0, 1fr) 54px minmax(24px, auto);
    align-items: center;
    gap: 4px;
    min-height: 24px;
  }
  .choice {
    grid-column: 2 / 5;
    padding: 1px 4px;
    min-height: 24px;
  }
  .number {
    display: flex;
    align-items: baseline;
    gap: 2px;
    font-family: var(--font-mono);
    font-size: 12px;
  }
  .number input {
    flex: 1;
    min-width: 0;
    width: 100%;
    border: 0;
    border-radius: 3px;
    background: none;
    text-align: right;
    min-height: 24px;
    padding: 0 1px;
  }
  .number input:hover,
  .number input:focus {
    background: var(--paper);
  }
  small {
    font-size: 10px;
    color: var(--quiet);
    font-family: var(--font-cond);
  }
  .colour {
    width: 100%;
    height: 24px;
    padding: 2px;
    border: 1px solid var(--rule);
    border-radius: 3px;
    background: none;
  }
  .colour::-webkit-color-swatch-wrapper {
    padding: 0;
  }
  .colour::-webkit-color-swatch {
    border: 0;
  }
  .switch {
    justify-self: start;
    /* what takes the press is as high as the row; what is seen is less, so that two of them stay two */
    border: 0 solid transparent;
    border-block-width: 2px;
    border-radius: 12px;
    background: var(--paper) padding-box;
    box-shadow: inset 0 0 0 1px var(--rule);
    min-height: 24px;
    padding: 0 10px;
    font-size: 11.5px;
  }
  .switch[aria-checked="true"] {
    background: var(--ink) padding-box;
    color: var(--on-ink);
    box-shadow: none;
  }
</style>
