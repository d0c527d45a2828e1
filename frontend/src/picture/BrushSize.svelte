<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import { BRUSH } from "../desk/tools.svelte";
  import NumberField from "../ui/NumberField.svelte";

  let { desk }: { desk: Desk } = $props();
</script>

<div
  class="mt-1 grid border-t border-rule pt-1 text-center text-[11px] text-quiet"
  title="Brush size ([ and ])"
>
  <NumberField
    class="text-ink [&>input]:text-center"
    name="Brush radius in pixels"
    low={BRUSH[0]}
    high={BRUSH[1]}
    value={desk.tools.brush}
    decimals={Number.isInteger(desk.tools.brush) ? 0 : 1}
    onset={(radius) => desk.tools.sizeBrush(radius)}
  />
  <span>px</span>
</div>
