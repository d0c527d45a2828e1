<script lang="ts">
  import Slider from "../ui/Slider.svelte";

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

<div
  class="grid min-h-6 break-inside-avoid grid-cols-[78px_minmax(0,1fr)_48px] items-center gap-1 text-xs text-quiet"
>
  <span>{label}</span>
  <Slider {name} {value} {low} {high} {step} onslide={onset} />
  <span class="text-right font-mono text-ink"
    >{Math.round(value * 100) / 100}<small class="ml-0.5 text-[10px] text-quiet">{unit}</small
    ></span
  >
</div>
