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

<div class="driving" data-drive={driver.drive}>
  <strong>{driver.drive}</strong>
  {#each parts as part (part.key)}
    <label>
      {part.label}
      <input
        aria-label={`${name}, ${driver.drive}: ${part.label}`}
        value={driver[part.key]}
        onchange={(e) => typed(part.key, e.currentTarget.value)}
        onkeydown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      /><small>{part.unit}</small>
    </label>
  {/each}
  {#if driver.drive === "flicker"}
    <label>
      pattern
      <input
        class="long"
        aria-label={`${name}, flicker: pattern of 1 and 0`}
        value={driver.pattern}
        onchange={(e) => pattern(e.currentTarget.value)}
      />
    </label>
  {/if}
</div>

<style>
  .driving {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 2px 7px;
    margin: 0 0 3px;
    padding: 2px 5px;
    border-left: 2px solid var(--blue);
    background: var(--paper);
    font-size: 11.5px;
    color: var(--quiet);
  }
  strong {
    font-weight: 600;
    color: var(--ink);
  }
  label {
    display: inline-flex;
    align-items: center;
    gap: 3px;
  }
  input {
    width: 40px;
    min-height: 24px;
    border: 1px solid var(--rule);
    border-radius: 3px;
    background: var(--card);
    font-family: var(--font-mono);
    font-size: 11px;
    text-align: right;
    padding: 0 3px;
    color: var(--ink);
  }
  .long {
    width: 74px;
    text-align: left;
  }
  small {
    font-size: 10px;
  }
</style>
