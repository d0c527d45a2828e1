<script lang="ts">
  import type { Driver, FieldOut } from "../lib/api-types";

  /** What drives a value by itself: how much, how often, in which pattern. */
  type Props = {
    field: FieldOut;
    driver: Driver;
    name: string;
    onput: (next: Driver, label: string) => void;
  };
  let { field, driver, name, onput }: Props = $props();
  const parts = $derived(
    driver.drive === "rate"
      ? [{ key: "amount" as const, label: "adds", unit: `${field.unit}/s` }]
      : driver.drive === "wander"
        ? [
            { key: "amount" as const, label: "up to", unit: field.unit },
            { key: "pace" as const, label: "pace", unit: "/s" },
            { key: "seed" as const, label: "variant", unit: "" },
          ]
        : [
            { key: "amount" as const, label: "off is", unit: field.unit },
            { key: "pace" as const, label: "steps", unit: "/s" },
          ],
  );

  function typed(key: "amount" | "pace" | "seed", text: string) {
    const number = Number(text.replace(",", "."));
    if (!Number.isFinite(number)) return;
    const held =
      key === "pace"
        ? Math.max(0.01, number)
        : key === "seed"
          ? Math.max(0, Math.round(number))
          : number;
    onput({ ...driver, [key]: held }, `${field.label.toLowerCase()}: ${driver.drive}`);
  }

  function pattern(text: string) {
    const clean = text.replace(/[^01]/g, "");
    if (clean) onput({ ...driver, pattern: clean }, `${field.label.toLowerCase()}: flicker`);
  }
</script>

<div
  class="mb-1 flex flex-wrap items-center gap-x-2 gap-y-0.5 border-l-2 border-blue bg-paper px-1.5 py-0.5 text-[11.5px] text-quiet"
  data-drive={driver.drive}
>
  <strong class="font-semibold text-ink">{driver.drive}</strong>
  {#each parts as part (part.key)}
    <label class="inline-flex items-center gap-1">
      {part.label}
      <input
        class="min-h-6 rounded-sm border border-rule bg-card px-1 font-mono text-[11px] text-ink w-10 text-right"
        aria-label={`${name}, ${driver.drive}: ${part.label}`}
        value={driver[part.key]}
        onchange={(e) => typed(part.key, e.currentTarget.value)}
        onkeydown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      /><small class="text-[10px]">{part.unit}</small>
    </label>
  {/each}
  {#if driver.drive === "flicker"}
    <label class="inline-flex items-center gap-1">
      pattern
      <input
        class="min-h-6 rounded-sm border border-rule bg-card px-1 font-mono text-[11px] text-ink w-[74px]"
        aria-label={`${name}, flicker: pattern of 1 and 0`}
        value={driver.pattern}
        onchange={(e) => pattern(e.currentTarget.value)}
      />
    </label>
  {/if}
</div>
