<!-- One of several: a button that shows the choice, and a list of all of them. -->
<script lang="ts">
  import { Select } from "bits-ui";
  import Icon from "../lib/Icon.svelte";

  export type Option = { value: string; label: string; hint?: string };
  type Props = {
    /** Its name for those who do not see what stands beside it. */
    name: string;
    value: string;
    options: Option[];
    onpick: (value: string) => void;
    placeholder?: string;
    disabled?: boolean;
    class?: string;
  };
  let {
    name,
    value,
    options,
    onpick,
    placeholder = "choose",
    disabled,
    class: more,
  }: Props = $props();
  const chosen = $derived(options.find((one) => one.value === value));
</script>

<Select.Root
  type="single"
  {disabled}
  bind:value={() => value, (next) => next !== value && onpick(next)}
  items={options.map(({ value, label }) => ({ value, label }))}
>
  <Select.Trigger
    aria-label={name}
    class={[
      "flex min-h-6 min-w-0 items-center gap-1 rounded border border-rule bg-card px-1.5 text-left text-xs hover:border-ink disabled:opacity-50",
      more,
    ]}
  >
    <span class="min-w-0 flex-1 truncate">{chosen?.label ?? placeholder}</span>
    <span class="text-quiet"><Icon name="down" size={11} /></span>
  </Select.Trigger>
  <Select.Portal>
    <Select.Content
      class="z-80 max-h-80 min-w-(--bits-select-anchor-width) overflow-y-auto rounded-md border border-ink bg-card p-1 shadow-float"
      sideOffset={3}
    >
      {#each options as option (option.value)}
        <Select.Item
          value={option.value}
          label={option.label}
          class="flex cursor-pointer flex-col rounded px-2 py-1 text-[13px] outline-none data-highlighted:bg-stand data-selected:font-semibold"
        >
          <span>{option.label}</span>{#if option.hint}<small
              class="text-[11.5px] font-normal text-quiet">{option.hint}</small
            >{/if}
        </Select.Item>
      {/each}
    </Select.Content>
  </Select.Portal>
</Select.Root>
