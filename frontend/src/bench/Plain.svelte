<script lang="ts">
  /** A slider with a number for what is no declared parameter. */
  type Props = {
    label: string;
    name: string;
    value: number;
    low?: number;
    high: number;
    step?: number;
    unit?: string;
    onset: (value: number, done: boolean) => void;
  };
  let { label, name, value, low = 0, high, step = 0.5, unit = "", onset }: Props = $props();
</script>

<div class="row">
  <span>{label}</span>
  <input
    class="slider"
    type="range"
    aria-label={name}
    min={low}
    max={high}
    {step}
    {value}
    oninput={(e) => onset(e.currentTarget.valueAsNumber, false)}
    onchange={(e) => onset(e.currentTarget.valueAsNumber, true)}
    style:--share={`${Math.min(100, ((value - low) / (high - low)) * 100)}%`}
  />
  <span class="number">{Math.round(value * 100) / 100}<small>{unit}</small></span>
</div>

<style>
  .row {
    display: grid;
    grid-template-columns: 78px minmax(0, 1fr) 48px;
    align-items: center;
    gap: 4px;
    min-height: 24px;
    font-size: 12px;
    color: var(--quiet);
  }
  .number {
    text-align: right;
    font-family: var(--font-mono);
    color: var(--ink);
  }
  small {
    margin-left: 2px;
    font-size: 10px;
    color: var(--quiet);
  }
</style>
