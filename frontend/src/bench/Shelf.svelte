<!-- Chosen by looking: this frame, small, with each treatment, pull or plane laid on; a press lays it on for good. -->
<script lang="ts">
  import { onMount } from "svelte";
  import type { LookOut, Matte, Plane } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import Icon from "../lib/Icon.svelte";
  import { lastUsed, used } from "../lib/used";
  import { lay } from "../looks/looks.svelte";
  import Menu from "../ui/Menu.svelte";
  import Button from "../ui/Button.svelte";
  import Chip from "../ui/Chip.svelte";
  import { addPlane, addPull, addStep } from "./recipes";
  import { opening } from "./slips";
  import Tried from "./Tried.svelte";
  import { triesOf } from "./tries.svelte";

  let { desk, matte, plane }: { desk: Desk; matte?: Matte; plane?: Plane } = $props();
  const shot = $derived(desk.shot);
  const family = $derived(matte ? "pull" : plane ? "treatment" : "plane");
  const all = $derived(
    shot.catalogue.declared.filter(
      (d) => d.family === family && !(matte && d.holds === "marks" && shot.trace(matte)),
    ),
  );
  /** One thing on the shelf: something declared, or a look. */
  type Item = { kind: string; label: string; hint: string; group: string; look?: LookOut };
  const LOOKS = "Looks";
  const items = $derived<Item[]>([
    ...all,
    ...(matte ? [] : desk.looks.of(plane ? "treatments" : "planes")).map((look) => ({
      kind: `look:${look.id}`,
      label: look.name,
      hint: look.about || "a saved look",
      group: LOOKS,
      look,
    })),
  ]);
  /** Families of treatments, as one goes through them: what is there, what lies over it, what it becomes. */
  const FAMILIES = [
    ...[
      "Colour",
      "Light",
      "Blur and texture",
      "Repeat",
      "Bend",
      "Break",
      "Line and print",
      "Cover",
    ],
    LOOKS,
  ];
  // what is of no family comes first: planes before the looks of a stand
  const place = (group: string) => FAMILIES.indexOf(group);
  const groups = $derived([
    ...[...new Set(all.map((d) => d.group).filter(Boolean))].sort((a, b) => place(a) - place(b)),
    ...(matte ? [] : [LOOKS]),
  ]);
  let group = $state("All");
  let sought = $state("");
  let search = $state<HTMLInputElement>();
  const shown = $derived.by(() => {
    const words = sought.trim().toLowerCase();
    const recent = lastUsed(family);
    return items
      .filter(
        (d) =>
          ((group === "All" && (!d.look || family === "plane" || !!words)) ||
            d.group === group ||
            (group === "Last used" && recent.includes(d.kind))) &&
          `${d.label} ${d.hint} ${d.group}`.toLowerCase().includes(words),
      )
      .sort((a, b) =>
        group === "Last used"
          ? recent.indexOf(a.kind) - recent.indexOf(b.kind)
          : place(a.group) - place(b.group),
      );
  });
  const WIDTH = 200;
  // svelte-ignore state_referenced_locally (a component never changes its desk)
  const tries = triesOf(
    desk,
    () =>
      matte
        ? { kind: "matte", matte: matte.id }
        : plane
          ? { kind: "plane", plane: plane.id }
          : { kind: "stand", matte: desk.selection.matteId },
    WIDTH,
    60,
  );
  const small = $derived(new Map(tries.list.map((one) => [one.kind, one])));

  onMount(() => {
    search?.focus();
    void desk.looks.load();
    return () => (desk.view.trying = null);
  });

  function lacks(item: Item): string {
    const has = plane ? plane.matte || plane.gate : matte || desk.selection.matteId;
    const needs = item.look
      ? item.look.needs.some((need) => need.of === "matte") && !shot.doc.mattes.length
      : all.find((d) => d.kind === item.kind)?.needs_matte && !has;
    return needs ? "needs a matte" : "";
  }

  function look(item: Item | null) {
    desk.view.trying = (item && small.get(item.kind)?.view) || null;
  }

  /** The card of what was laid on lies open. */
  function open(key: string, id: string) {
    desk.opened.set(key, opening(desk.opened.get(key) ?? [], id));
  }

  function add(item: Item) {
    desk.view.trying = null;
    used(family, item.kind);
    const declared = all.find((d) => d.kind === item.kind);
    if (item.look) void lay(desk, item.look, plane ?? null);
    else if (matte) {
      const tried = small.get(item.kind)?.view;
      const params = tried?.kind === "try-pull" ? tried.params : {};
      open(`matte:${matte.id}`, addPull(desk, matte, item.kind, params));
    } else if (plane && declared) open(`plane:${plane.id}`, addStep(desk, plane, declared));
    else addPlane(desk, item.kind as Plane["kind"]);
    desk.shelf = null;
  }

  function key(event: KeyboardEvent) {
    if (event.key === "Escape") {
      desk.shelf = null;
      event.stopPropagation();
    }
    const cards = [...document.querySelectorAll<HTMLElement>("[data-try]")];
    const at = cards.indexOf(document.activeElement as HTMLElement);
    const way = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: 0, ArrowUp: 0 }[event.key];
    if (at < 0 || way === undefined) return;
    // up and down go to the card below or above
    const across = cards.filter((c) => c.offsetTop === cards[0].offsetTop).length;
    const by = way || (event.key === "ArrowDown" ? across : -across);
    cards[Math.max(0, Math.min(cards.length - 1, at + by))]?.focus();
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions (its cards take the keys) -->
<section
  class="absolute inset-0 z-20 grid grid-rows-[auto_minmax(0,1fr)] border-t-2 border-ink bg-sheet"
  aria-label={`Shelf of ${family}s`}
  onkeydown={key}
>
  <div class="flex items-start gap-1.5 px-3 py-2">
    <div class="flex min-w-0 flex-1 flex-wrap gap-1.5">
      {#each ["All", ...groups, ...(lastUsed(family).length ? ["Last used"] : [])] as one (one)}
        <Chip on={group === one} onpick={() => (group = one)}>{one}</Chip>
      {/each}
      {#if group === LOOKS}<Button onclick={() => desk.looks.read()}>Read a look’s file …</Button
        >{/if}
    </div>
    <label
      class="flex min-h-6 items-center gap-1.5 rounded border border-rule bg-card px-2 text-quiet"
    >
      <Icon name="search" size={13} />
      <input
        bind:this={search}
        bind:value={sought}
        type="search"
        class="w-14 bg-transparent text-ink outline-none"
        placeholder="search"
        aria-label="Search the shelf"
      />
    </label>
    <Button kind="bare" aria-label="Close the shelf" onclick={() => (desk.shelf = null)}
      ><Icon name="close" size={14} /></Button
    >
  </div>
  <ul
    class="grid min-h-0 grid-cols-[repeat(auto-fill,minmax(118px,1fr))] content-start gap-x-2 gap-y-1.5 overflow-y-auto px-3 pb-3"
  >
    {#each shown as item, n (item.kind)}
      {@const lack = lacks(item)}
      {#if group === "All" && item.group && item.group !== shown[n - 1]?.group}
        <li
          class="col-span-full pt-0.5 text-[11.5px] text-quiet not-first:pt-1.5"
          aria-hidden="true"
        >
          {item.group}
        </li>
      {/if}
      <li class="group/look relative">
        {#if item.look}<Menu
            name={`More for ${item.label}`}
            choices={desk.looks.choicesOf(item.look)}
            class="absolute top-1 right-1 z-10 bg-card/85 opacity-0 group-hover/look:opacity-100 focus-visible:opacity-100 data-[state=open]:opacity-100"
          />{/if}
        <button
          type="button"
          data-try={item.kind}
          class="group block w-full rounded p-0.5 text-left outline-offset-1 disabled:opacity-60"
          disabled={!!lack}
          title={item.hint}
          onpointerenter={() => !lack && look(item)}
          onpointerleave={() => look(null)}
          onfocus={() => !lack && look(item)}
          onblur={() => look(null)}
          onclick={() => add(item)}
        >
          <span
            class="block aspect-video w-full overflow-hidden rounded-sm bg-surround outline-2 outline-transparent group-hover:outline-ink"
          >
            <Tried {desk} tried={small.get(item.kind)} width={WIDTH} />
          </span>
          <span class="block truncate text-[12.5px]"
            >{item.label} <small class="text-quiet">{lack}</small></span
          >
          {#if family === "plane" || item.look}<small
              class="block text-[11px] leading-tight text-quiet">{item.hint}</small
            >{/if}
        </button>
      </li>
    {:else}
      <li class="col-span-full py-6 text-center text-quiet">Nothing is called so.</li>
    {/each}
  </ul>
</section>
