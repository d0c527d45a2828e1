<script lang="ts">
  import { fromHex, newGesture, toHex, type Rgb } from "../../lib/values";

  type Props = {
    name: string;
    value: Rgb;
    onset: (value: Rgb, gesture?: string | null) => void;
  };
  let { name, value, onset }: Props = $props();
  let gesture = "";
</script>

<input
  type="color"
  class="h-6 w-full cursor-pointer rounded-[3px] border border-rule bg-transparent p-0.5"
  aria-label={name}
  value={toHex(value)}
  oninput={(e) => {
    gesture ||= newGesture();
    onset(fromHex(e.currentTarget.value), gesture);
  }}
  onchange={() => (gesture = "")}
/>
<small class="text-right font-mono text-[10px] text-quiet">{toHex(value)}</small>
