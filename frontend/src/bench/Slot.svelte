<!-- A card's place on the bench: open with its content, or folded to a spine. -->
<script lang="ts">
  import type { Snippet } from "svelte";
  import Icon from "../lib/Icon.svelte";
  import type { Slip } from "./slips";
  import { placeCard } from "./slot.svelte";

  type Props = {
    slip: Slip;
    open: boolean;
    width: number;
    chosen: boolean;
    onopen: () => void;
    onfold: () => void;
    children: Snippet;
  };
  let { slip, open, width, chosen, onopen, onfold, children }: Props = $props();
  placeCard({
    get width() {
      return width;
    },
    get chosen() {
      return chosen;
    },
    pick: () => !chosen && onopen(),
    fold: () => onfold(),
  });
</script>

{#if open}
  {@render children()}
{:else}
  <button
    type="button"
    data-spine={slip.id}
    aria-label={`Open ${slip.title}`}
    aria-expanded="false"
    title={`Open ${slip.title}`}
    onclick={onopen}
    class={[
      "flex w-7 flex-none flex-col items-center gap-2 rounded-md border border-rule bg-card py-1.5 text-quiet hover:border-ink hover:text-ink",
      slip.off && "opacity-60",
    ]}
  >
    <Icon name={slip.off ? "shut" : "eye"} size={14} />
    {#if slip.moves}
      <span
        class="size-2.5 rounded-full border-2 border-ink"
        title="something in it is keyed or driven"
      ></span>
    {/if}
    <span
      class="[writing-mode:vertical-rl] min-h-0 rotate-180 overflow-hidden text-xs whitespace-nowrap text-ink"
      >{slip.title}</span
    >
  </button>
{/if}
