<script lang="ts">
  import type { Snippet } from "svelte";
  import type { Desk } from "../desk/desk.svelte";
  import type { Tool } from "../desk/tools.svelte";
  import { RadioGroup } from "bits-ui";
  import Hint from "../lib/Hint.svelte";
  import Icon, { type IconName } from "../lib/Icon.svelte";

  /** The slim column of tools at the picture's edge; what stands below them is `children`. */
  type Props = {
    desk: Desk;
    label: string;
    tools: { tool: Tool & IconName; name: string; keys?: string }[];
    /** The tool that is in the hand, where that is not simply the desk's. */
    chosen?: Tool;
    children?: Snippet;
  };
  let { desk, label, tools, chosen, children }: Props = $props();
</script>

<div
  class="absolute top-3 left-2.5 w-11 cursor-default rounded-md bg-card p-1 shadow-[0_2px_10px_rgb(0_0_0/0.35)]"
>
  <RadioGroup.Root
    aria-label={label}
    class="grid justify-items-center gap-0.5"
    bind:value={() => chosen ?? desk.tools.tool, (tool) => (desk.tools.tool = tool as Tool)}
  >
    {#each tools as { tool, name, keys } (tool)}
      <Hint text={name} {keys} side="right">
        {#snippet child(props)}
          <RadioGroup.Item
            {...props}
            value={tool}
            aria-label={name}
            class="grid size-8 place-items-center rounded-[5px] border-2 border-transparent hover:bg-stand data-[state=checked]:border-ink data-[state=checked]:bg-paper"
            ><Icon name={tool} size={19} /></RadioGroup.Item
          >
        {/snippet}
      </Hint>
    {/each}
  </RadioGroup.Root>
  {@render children?.()}
</div>
