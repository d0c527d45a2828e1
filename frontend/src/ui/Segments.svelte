<!-- One of a few, all of them in sight; arrow keys go from one to the next. -->
<script lang="ts">
  import { RadioGroup } from "bits-ui";
  import type { Option } from "./Select.svelte";

  type Props = {
    name: string;
    value: string;
    options: Option[];
    onpick: (value: string) => void;
    size?: "small" | "tall";
    class?: string;
  };
  let { name, value, options, onpick, size = "small", class: more }: Props = $props();
</script>

<RadioGroup.Root
  aria-label={name}
  orientation="horizontal"
  bind:value={() => value, (next) => next !== value && onpick(next)}
  class={["flex min-w-0 overflow-hidden rounded-md border border-rule bg-card", more]}
>
  {#each options as option (option.value)}
    <RadioGroup.Item
      value={option.value}
      title={option.hint}
      class={[
        "truncate border-l border-rule first:border-l-0 hover:bg-stand data-[state=checked]:bg-ink data-[state=checked]:text-on-ink",
        size === "tall"
          ? "min-h-7 flex-none px-2 text-[13px]"
          : "min-h-6 min-w-0 flex-auto px-1 text-xs",
      ]}>{option.label}</RadioGroup.Item
    >
  {/each}
</RadioGroup.Root>
