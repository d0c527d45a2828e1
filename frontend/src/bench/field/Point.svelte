<!-- A place: two numbers here, a handle on the picture. -->
<script lang="ts">
  import type { FieldOut } from "../../lib/api-types";
  import type { Xy } from "../../lib/values";
  import NumberField from "../../ui/NumberField.svelte";

  type Props = {
    field: FieldOut;
    name: string;
    value: Xy;
    onset: (value: Xy, gesture?: string | null) => void;
  };
  let { field, name, value, onset }: Props = $props();
</script>

<span class="col-span-2 grid grid-cols-2 gap-1" title="Drag its handle on the picture">
  {#each ["across", "down"] as side, i (side)}
    <NumberField
      name={`${name}, ${side}`}
      value={value[i]}
      low={field.low}
      high={field.high}
      step={field.step}
      unit={i ? "px ↓" : "px →"}
      drags
      onset={(next, gesture) => onset(i ? [value[0], next] : [next, value[1]], gesture)}
    />
  {/each}
</span>
