<!-- An open card of the bench: its head, and its fields in as many columns as they need. -->
<script lang="ts">
  import { pointerIntersection } from "@dnd-kit/collision";
  import { createDraggable, createDroppable } from "@dnd-kit/svelte";
  import { DropdownMenu } from "bits-ui";
  import type { Snippet } from "svelte";
  import Icon from "../lib/Icon.svelte";
  import type { Choice } from "../ui/Menu.svelte";
  import { fitted, GAP } from "./fitted";
  import { placeOf, type Place } from "./places";
  import { cardOf } from "./slot.svelte";

  type Props = {
    title: string;
    note?: string;
    selected?: boolean;
    /** Its content is laid out by itself: a column a child. */
    free?: boolean;
    /** Asks when what the card holds arrives at its values, or leaves them. */
    onarrive?: (way: "arrive" | "leave") => void;
    /** Told when anything in it was pressed; not before the press is over, since the cards move for the chosen one. */
    onpick?: () => void;
    on?: boolean;
    onturn?: () => void;
    onleft?: () => void;
    onright?: () => void;
    oncopy?: () => void;
    onrename?: () => void;
    onremove?: () => void;
    /** Lets the views show the recipe up to this card. */
    ontoo?: () => void;
    /** What else its menu offers. */
    extras?: Choice[];
    /** Its place in a list, if it is dragged by its head to another one, and what takes it there. */
    place?: Place;
    /** What lies above its fields, over the whole width. */
    above?: Snippet;
    children: Snippet;
  };
  let {
    title,
    note = "",
    selected = false,
    free = false,
    onarrive,
    onpick,
    on = true,
    onturn,
    onleft,
    onright,
    oncopy,
    onrename,
    onremove,
    ontoo,
    extras = [],
    place,
    above,
    children,
  }: Props = $props();
  const slot = cardOf();
  const entry = {
    get id() {
      return place ? `${place.list}/${place.at}` : title;
    },
    get disabled() {
      return !place;
    },
    get data() {
      return { place };
    },
    feedback: "clone" as const,
    accept: (other: Parameters<typeof placeOf>[0]) => placeOf(other)?.list === place?.list,
    collisionDetector: pointerIntersection,
  };
  const drag = createDraggable(entry);
  const drop = createDroppable(entry);
</script>

<article
  class={[
    "flex min-h-0 flex-none flex-col rounded-md bg-card data-dnd-dragging:shadow-lg",
    drop.isDropTarget &&
      !drag.isDragSource &&
      "outline-2 outline-offset-1 outline-ink outline-dashed",
    selected || slot.chosen ? "border-2 border-ink" : "border border-rule",
  ]}
  style:width={`${slot.width}px`}
  style:flex-grow={slot.chosen ? 1 : 0}
  style:flex-shrink={slot.chosen ? 1 : 0}
  style:min-width={slot.chosen ? "280px" : undefined}
  onpointerup={() => (onpick?.(), slot.pick())}
  aria-label={title}
  {@attach drag.attach}
  {@attach drop.attach}
>
  <header class="flex min-h-7 items-center gap-1 pt-1 pr-1 pl-2.5">
    <!-- dragged by mouse, pen or finger; the menu moves the card by keyboard -->
    <div class="flex flex-1 items-baseline" {@attach drag.attachHandle}>
      <h2 class="max-w-60 truncate text-[13px] font-semibold" {title}>{title}</h2>
      <span class="flex-1 pl-1 text-xs text-quiet">{note}</span>
    </div>
    {#if onturn}
      <button
        type="button"
        class="btn-bare"
        aria-label={`${title}: ${on ? "switch off" : "switch on"}`}
        aria-pressed={on}
        onclick={onturn}><Icon name={on ? "eye" : "shut"} size={15} /></button
      >
    {/if}
    {#if onremove || onarrive}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger class="btn-bare" aria-label={`More for ${title}`}
          ><Icon name="more" size={15} /></DropdownMenu.Trigger
        >
        <DropdownMenu.Portal>
          <DropdownMenu.Content class="menu" align="end">
            {#if onarrive}
              <DropdownMenu.Item class="menu-item" onSelect={() => onarrive("arrive")}
                >Arrive …<small>from neutral to what it is now, between two frames</small
                ></DropdownMenu.Item
              >
              <DropdownMenu.Item class="menu-item" onSelect={() => onarrive("leave")}
                >Leave …<small>from what it is now to neutral</small></DropdownMenu.Item
              >
            {/if}
            {#if onremove}
              <DropdownMenu.Item class="menu-item" disabled={!onleft} onSelect={onleft}
                >Earlier (to the left)</DropdownMenu.Item
              >
              <DropdownMenu.Item class="menu-item" disabled={!onright} onSelect={onright}
                >Later (to the right)</DropdownMenu.Item
              >
              {#each extras as extra (extra.label)}
                <DropdownMenu.Item class="menu-item" onSelect={extra.run}
                  >{extra.label}{#if extra.hint}<small>{extra.hint}</small>{/if}</DropdownMenu.Item
                >
              {/each}
              {#if ontoo}
                <DropdownMenu.Item class="menu-item" onSelect={ontoo}
                  >Look only up to here</DropdownMenu.Item
                >
              {/if}
              {#if onrename}
                <DropdownMenu.Item class="menu-item" onSelect={onrename}>Rename …</DropdownMenu.Item
                >
              {/if}
              <DropdownMenu.Item class="menu-item" disabled={!oncopy} onSelect={oncopy}
                >Copy</DropdownMenu.Item
              >
              <DropdownMenu.Item class="menu-item" onSelect={onremove}>Remove</DropdownMenu.Item>
            {/if}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    {/if}
    <button
      type="button"
      class="btn-bare"
      aria-label={`Fold ${title}`}
      title="Fold this card to its spine"
      onclick={(e) => (e.stopPropagation(), slot.fold())}
      onpointerup={(e) => e.stopPropagation()}><Icon name="fold" size={14} /></button
    >
  </header>
  {#if above}<div class="px-2.5">{@render above()}</div>{/if}
  <div class={["min-h-0 flex-1 overflow-auto px-2.5 pb-1.5", on ? "" : "opacity-50"]}>
    {#if free}
      <div class="flex gap-5">{@render children()}</div>
    {:else}
      <div style:column-gap={`${GAP}px`} {@attach fitted}>{@render children()}</div>
    {/if}
  </div>
</article>
