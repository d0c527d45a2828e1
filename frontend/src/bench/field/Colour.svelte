<script lang="ts">
  import type { Desk } from "../../desk/desk.svelte";
  import Icon from "../../lib/Icon.svelte";
  import { fromHex, newGesture, toHex, type Rgb } from "../../lib/values";

  type Props = {
    desk: Desk;
    name: string;
    value: Rgb;
    onset: (value: Rgb, gesture?: string | null) => void;
  };
  let { desk, name, value, onset }: Props = $props();
  let gesture = "";
  const picking = $derived(desk.tools.picking?.name === name);
  const rounded = (colour: Rgb) => colour.map((n) => Math.round(n * 1e4) / 1e4) as Rgb;
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
<button
  type="button"
  class="flex min-h-6 items-center justify-end gap-1 rounded-sm font-mono text-[10px] text-quiet hover:text-ink aria-pressed:bg-ink aria-pressed:text-on-ink"
  aria-label={`${name}: pick off the picture`}
  aria-pressed={picking}
  title="Pick off the picture: press or drag on the plate"
  onclick={() => desk.tools.pickFor(name, (colour) => onset(rounded(colour)))}
  ><Icon name="pick" size={12} />{toHex(value)}</button
>
