<script lang="ts">
  import type { FieldOut } from "../../lib/api-types";
  import { newGesture } from "../../lib/values";
  import NumberField from "../../ui/NumberField.svelte";
  import Slider from "../../ui/Slider.svelte";

  type Props = {
    field: FieldOut;
    name: string;
    /** What the slider spans. */
    reach: number[];
    /** What it is shown as at 0. */
    from?: number;
    value: number;
    onset: (value: number, gesture?: string | null) => void;
    onreset: () => void;
  };
  let { field, name, reach, from = 0, value, onset, onreset }: Props = $props();
  let gesture = "";

  function slide(next: number, done: boolean) {
    if (!done) {
      gesture ||= newGesture();
      onset(next, gesture);
    } else gesture = "";
  }
</script>

<Slider {name} {value} low={reach[0]} high={reach[1]} step={field.step} onslide={slide} {onreset} />
<NumberField
  name={`${name}, value`}
  value={value + from}
  low={field.low + from}
  high={field.high + from}
  step={field.step}
  unit={field.unit}
  drags
  onset={(next, gesture) => onset(next - from, gesture)}
/>
