<script lang="ts">
  import { api } from "../lib/api";
  import type { DeclaredOut, Pull, SpreadOut } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { newGesture, valueAt, withValue } from "../lib/values";
  import Spread from "./Spread.svelte";

  /** The frame's own distributions, with the ranges of a colour or luma key laid over them. */
  let {
    desk,
    pull,
    declared,
    path,
  }: { desk: Desk; pull: Pull; declared: DeclaredOut; path: string } = $props();
  let found = $state.raw<SpreadOut | null>(null);
  let gesture = "";

  $effect(() => {
    const frame = desk.playback.frame;
    if (desk.playback.playing) return;
    const wait = setTimeout(() => {
      void api.spread(desk.shot.id, frame).then(
        (now) => frame === desk.playback.frame && (found = now),
        () => {},
      );
    }, 120);
    return () => clearTimeout(wait);
  });

  function stored(name: string): unknown {
    return pull.params[name] ?? declared.fields.find((f) => f.name === name)!.default;
  }
  const now = (name: string) => valueAt(stored(name), desk.env) as number;

  function put(values: Record<string, number>, done: boolean) {
    gesture ||= newGesture();
    const ops = Object.entries(values).map(([name, value]) => {
      const { low, high } = declared.fields.find((f) => f.name === name)!;
      const plain = Math.round(Math.max(low, Math.min(high, value)) * 1000) / 1000;
      return {
        op: "add",
        path: `${path}/params/${name}`,
        value: withValue(stored(name), desk.playback.frame, plain),
      };
    });
    desk.shot.edit(ops, "range", gesture);
    if (done) gesture = "";
  }

  // the circle of hues at one lightness and chroma, as the key measures them
  const hues = `linear-gradient(90deg in oklch, ${[0, 60, 120, 180, 240, 300, 359]
    .map((h) => `oklch(0.72 0.13 ${h}deg)`)
    .join(", ")})`;
  const hueColour = $derived(pull.kind === "colour_key" ? now("hue") : 0);
</script>

{#if found && pull.kind === "colour_key"}
  {@const half = now("hue_width") / 720}
  <Spread
    label="Hue"
    bins={found.hue}
    ground={hues}
    circle
    even
    range={{
      low: now("hue") / 360 - half,
      high: now("hue") / 360 + half,
      softLow: now("hue_soft") / 360,
      softHigh: now("hue_soft") / 360,
    }}
    onrange={(r, done) =>
      put(
        {
          hue: ((((r.low + r.high) * 180) % 360) + 360) % 360,
          hue_width: (r.high - r.low) * 360,
          hue_soft: r.softLow * 360,
        },
        done,
      )}
  />
  {#each ["chroma", "light"] as const as scale (scale)}
    <Spread
      label={scale === "chroma" ? "Chroma" : "Light"}
      bins={found[scale]}
      ground={scale === "chroma"
        ? `linear-gradient(90deg, oklch(0.65 0 0deg), oklch(0.65 0.2 ${hueColour}deg))`
        : "linear-gradient(90deg, #111, #eee)"}
      even
      range={{
        low: now(`${scale}_low`),
        high: now(`${scale}_high`),
        softLow: now(`${scale}_soft`),
        softHigh: now(`${scale}_soft`),
      }}
      onrange={(r, done) =>
        put(
          { [`${scale}_low`]: r.low, [`${scale}_high`]: r.high, [`${scale}_soft`]: r.softLow },
          done,
        )}
    />
  {/each}
{:else if found && pull.kind === "luma_key"}
  <Spread
    label="Luma"
    bins={found.luma}
    ground="linear-gradient(90deg, #111, #eee)"
    range={{
      low: now("low"),
      high: now("high"),
      softLow: now("soft_low"),
      softHigh: now("soft_high"),
    }}
    onrange={(r, done) =>
      put({ low: r.low, high: r.high, soft_low: r.softLow, soft_high: r.softHigh }, done)}
  />
{/if}
