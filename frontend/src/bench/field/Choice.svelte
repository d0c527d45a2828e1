<!-- One of several words: side by side where there are four or fewer that find room, else in a list. -->
<script lang="ts">
  import type { FieldOut } from "../../lib/api-types";
  import Segments from "../../ui/Segments.svelte";
  import Select from "../../ui/Select.svelte";

  type Props = {
    field: FieldOut;
    name: string;
    value: string;
    onpick: (value: string) => void;
  };
  let { field, name, value, onpick }: Props = $props();
  const options = $derived(field.options.map((one) => ({ value: one, label: one })));
  const short = $derived(options.length <= 4 && field.options.join("   ").length <= 24);
</script>

<div class="col-span-3 min-w-0">
  {#if short}
    <Segments {name} {value} {options} {onpick} />
  {:else}
    <Select {name} {value} {options} {onpick} class="w-full" />
  {/if}
</div>
