<script lang="ts">
  import { DropdownMenu } from "bits-ui";
  import type { Snippet } from "svelte";
  import Icon from "../lib/Icon.svelte";

  type Props = {
    title: string;
    note?: string;
    selected?: boolean;
    /** How many fields it holds; many are laid out in two columns. */
    fields?: number;
    /** Two columns that its content lays out by itself. */
    free?: boolean;
    /** Two columns for two children. */
    wide?: boolean;
    /** Asks when what the card holds arrives at its values, or leaves them. */
    onarrive?: (way: "arrive" | "leave") => void;
    /** Told when anything in it is pressed. */
    onpick?: () => void;
    on?: boolean;
    onturn?: () => void;
    onleft?: () => void;
    onright?: () => void;
    oncopy?: () => void;
    onremove?: () => void;
    /** Lets the views show the recipe up to this card. */
    ontoo?: () => void;
    /** Told when the card is taken by its head, and when another one is let go over it. */
    ondrag?: () => void;
    ondropped?: () => void;
    children: Snippet;
  };
  let {
    title,
    note = "",
    selected = false,
    fields = 0,
    free = false,
    wide = false,
    onarrive,
    onpick,
    on = true,
    onturn,
    onleft,
    onright,
    oncopy,
    onremove,
    ontoo,
    ondrag,
    ondropped,
    children,
  }: Props = $props();
</script>

<article
  class="card"
  class:selected
  class:off={!on}
  class:wide={free || wide || fields > 6}
  class:pair={wide}
  class:free
  style:--rows={Math.ceil(fields / 2)}
  onpointerdown={onpick}
  aria-label={title}
>
  <!-- svelte-ignore a11y_no_static_element_interactions (the menu moves the card by keyboard) -->
  <header
    draggable={!!ondrag}
    ondragstart={ondrag}
    ondragover={(e) => ondropped && e.preventDefault()}
    ondrop={ondropped}
  >
    <h2>{title}</h2>
    <span>{note}</span>
    {#if onturn}
      <button
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
              {#if ontoo}
                <DropdownMenu.Item class="menu-item" onSelect={ontoo}
                  >Look only up to here</DropdownMenu.Item
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
  </header>
  <div class="body">{@render children()}</div>
</article>

<style>
  .card {
    flex: none;
    display: flex;
    flex-direction: column;
    width: 242px;
    background: var(--card);
    border: 1px solid var(--rule);
    border-radius: 6px;
    min-height: 0;
  }
  .card.selected {
    border: 2px solid var(--ink);
  }
  header {
    display: flex;
    align-items: center;
    gap: 2px;
    padding: 5px 4px 3px 11px;
    min-height: 29px;
  }
  h2 {
    margin: 0;
    font-size: 13px;
    font-weight: 600;
  }
  header span {
    flex: 1;
    text-align: right;
    padding-right: 6px;
    font-size: 12px;
    color: var(--quiet);
  }
  .body {
    flex: 1;
    overflow-y: auto;
    padding: 0 10px 8px 11px;
  }
  .wide {
    width: 462px;
  }
  .wide .body {
    display: grid;
    grid-template: repeat(var(--rows), auto) / minmax(0, 1fr) minmax(0, 1fr);
    grid-auto-flow: column;
    column-gap: 20px;
    align-content: start;
  }
  .pair .body {
    grid-template: auto / minmax(0, 1fr) minmax(0, 1fr);
  }
  .free {
    width: 470px;
  }
  .free .body {
    grid-template: none / minmax(0, 1.06fr) minmax(0, 1fr);
    grid-auto-flow: row;
  }
  .off .body {
    opacity: 0.5;
  }
</style>
