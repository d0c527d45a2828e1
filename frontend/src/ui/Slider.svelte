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

  const FINE = 10; // how much further the hand goes while it holds Shift
  let fine = false;
  /** Where the hand was, and what it had set, when Shift went down. */
  let since: { at: number; value: number } | null = null;
  let last = 0;

  /** What a place on the line stands for. */
  function meant(next: number): number {
    if (!fine) {
      since = null;
      return (last = next);
    }
    since ??= { at: next, value: held };
    const moved = since.value + (next - since.at) / FINE;
    const on = Math.round(moved / step) * step;
    return (last = Math.max(low, Math.min(high, Number(on.toFixed(9)))));
  }

  function turned(event: PointerEvent) {
    if (event.shiftKey !== fine) since = null;
    fine = event.shiftKey;
  }
</script>

<!-- svelte-ignore a11y_no_static_element_interactions (a value is put back by keyboard in its menu) -->
<div
  class="flex h-6 items-center"
  ondblclick={onreset}
  onpointerdowncapture={turned}
  onpointermovecapture={turned}
>
  <Slider.Root
    type="single"
    min={low}
    max={high}
    {step}
    {disabled}
    bind:value={
      () => held,
      (next) => {
        const wanted = meant(next);
        if (moves(wanted)) onslide(wanted, false);
      }
    }
    onValueCommit={(next) => {
      onslide(fine ? last : next, true);
      since = null;
    }}
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
