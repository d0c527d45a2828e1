<!-- On or off. -->
<script lang="ts">
  import { Switch } from "bits-ui";

  type Props = { name: string; on: boolean; onturn: (on: boolean) => void };
  let { name, on, onturn }: Props = $props();
</script>

<!-- what takes the press is as high as the row; what is seen is less, so that two of them stay two -->
<Switch.Root
  aria-label={name}
  bind:checked={() => on, (next) => next !== on && onturn(next)}
  class="group flex min-h-6 items-center justify-self-start"
>
  <span
    class="flex h-5 items-center rounded-full bg-paper px-2.5 text-[11.5px] inset-ring inset-ring-rule group-data-[state=checked]:bg-ink group-data-[state=checked]:text-on-ink group-data-[state=checked]:inset-ring-ink"
    >{on ? "on" : "off"}</span
  >
</Switch.Root>
