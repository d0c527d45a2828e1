<!-- A value on a line. A double click goes back to the default. -->
<script lang="ts">
  import { Slider } from "bits-ui";

  type Props = {
    name: string;
    value: number;
    low: number;
    high: number;
    step?: number;
    disabled?: boolean;
    /** Told at every step, and with `done` when the hand lets go. */
    onslide: (value: number, done: boolean) => void;
    onreset?: () => void;
  };
  let { name, value, low, high, step = 0.01, disabled, onslide, onreset }: Props = $props();
  const held = $derived(Math.max(low, Math.min(high, value)));
  // a value between two steps is shown on the nearer one, and that is no wish to change it
  const moves = (next: number) => Math.abs(next - held) > step * 0.501;
</script>

<!-- svelte-ignore a11y_no_static_element_interactions (a value is put back by keyboard in its menu) -->
<div class="flex h-6 items-center" ondblclick={onreset}>
  <Slider.Root
    type="single"
    min={low}
    max={high}
    {step}
    {disabled}
    bind:value={() => held, (next) => moves(next) && onslide(next, false)}
    onValueCommit={(next) => onslide(next, true)}
    class="relative flex h-6 w-full touch-none items-center select-none"
  >
    <span class="h-0.5 w-full bg-rule"></span>
    <Slider.Range class="absolute h-0.5 bg-ink" />
    <Slider.Thumb
      index={0}
      aria-label={name}
      class="grid size-6 place-items-center rounded-full focus-visible:outline-2 focus-visible:-outline-offset-4 focus-visible:outline-blue"
    >
      <span class="block size-[11px] rounded-full border-[1.6px] border-ink bg-card"></span>
    </Slider.Thumb>
  </Slider.Root>
</div>
