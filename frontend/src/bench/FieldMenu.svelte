<script lang="ts">
  import { DropdownMenu } from "bits-ui";
  import { api } from "../lib/api";
  import type { Driver, FieldOut, Keys, Riding } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { askRide, trackOfKeys } from "../desk/rides";
  import { notes } from "../lib/notes.svelte";
  import { isDriver, keysOf, withAllEased } from "../lib/values";

  /** A value's name, and behind it what else can be done with it: what drives it or it rides on, all of its keys. */
  type Props = {
    desk: Desk;
    field: FieldOut;
    stored: unknown;
    path: string;
    name: string;
    /** How much the slider of a number spans. */
    reach?: number;
    /** Told on which track a place is to ride; where it is left out it can't. */
    onride?: (riding: Riding) => void;
    onput: (next: unknown, label: string) => void;
    onreset: () => void;
  };
  let { desk, field, stored, path, name, reach = 0, onride, onput, onreset }: Props = $props();
  const driver = $derived(isDriver(stored) ? stored : null);
  const number = $derived(field.control === "number");
  const drivers: [Driver["drive"], string, string][] = [
    ["rate", "Rate", "so much more every second"],
    ["wander", "Wander", "strays to both sides, softly"],
    ["flicker", "Flicker", "on and off in a pattern"],
  ];

  const eases = ["smooth", "linear", "hold"] as const;

  /** Time moves the value by itself from now on, or no longer. */
  function drive(how: Driver["drive"] | null) {
    const inner = (driver ? driver.base : stored) as number | Keys;
    if (!how) return onput(inner, `${field.label.toLowerCase()}: no driver`);
    const size = reach / 10;
    const amount =
      how === "flicker" ? Number(field.neutral ?? field.low) : Math.min(10, +size.toPrecision(1));
    const pace = how === "flicker" ? Math.min(12, desk.playback.fps) : 2;
    const next: Driver = { drive: how, base: inner, amount, pace, seed: 1, pattern: "10" };
    onput(next, `${field.label.toLowerCase()}: ${how}`);
  }

  async function copyKeys() {
    try {
      desk.clips = (await api.copied(desk.shot.id, [path], 0, desk.shot.count - 1)).clips;
      notes.add(
        `${keysOf(stored).length} keyframes copied.`,
        "Paste them on any value, plane or treatment.",
      );
    } catch (error) {
      notes.fault(error);
    }
  }

  const deed = (kind: "paste" | "bake" | "remove") =>
    void desk.shot.deed(kind, [path], {
      first: 0,
      last: desk.shot.count - 1,
      to_first: desk.playback.frame,
      clips: desk.clips,
    });
</script>

<DropdownMenu.Root>
  <DropdownMenu.Trigger
    class="field-label min-h-6 text-left hover:text-ink hover:underline hover:decoration-dotted"
    title={field.hint}
    aria-label={`${name}: more`}>{field.label}</DropdownMenu.Trigger
  >
  <DropdownMenu.Portal>
    <DropdownMenu.Content class="menu" align="start">
      <DropdownMenu.Item class="menu-item" onSelect={onreset}
        >{number
          ? `Back to ${field.default}${field.unit}`
          : "Back to where it began"}</DropdownMenu.Item
      >
      {#if onride}
        <DropdownMenu.Item class="menu-item" onSelect={() => askRide(desk, name, onride)}
          >Ride on a track …<small>it goes where the track goes from this frame on</small
          ></DropdownMenu.Item
        >
        {#if keysOf(stored).length > 1}
          <DropdownMenu.Item class="menu-item" onSelect={() => trackOfKeys(desk, path)}
            >Make its keyframes a track</DropdownMenu.Item
          >
        {/if}
      {/if}
      {#each number ? drivers : [] as [how, says, hint] (how)}
        <DropdownMenu.Item class="menu-item" onSelect={() => drive(how)}
          >{says}<small>{hint}</small></DropdownMenu.Item
        >
      {/each}
      {#if driver}
        <DropdownMenu.Item class="menu-item" onSelect={() => drive(null)}
          >No driver</DropdownMenu.Item
        >
      {/if}
      {#if number && (driver || keysOf(stored).length)}
        <DropdownMenu.Item class="menu-item" onSelect={() => deed("bake")}
          >Bake to keyframes</DropdownMenu.Item
        >
      {/if}
      {#if keysOf(stored).length}
        {#each keysOf(stored).length > 1 ? eases : [] as ease (ease)}
          <DropdownMenu.Item
            class="menu-item"
            onSelect={() => onput(withAllEased(stored, ease), `ease all: ${ease}`)}
            >All keyframes: {ease}</DropdownMenu.Item
          >
        {/each}
        <DropdownMenu.Item class="menu-item" onSelect={copyKeys}>Copy keyframes</DropdownMenu.Item>
        <DropdownMenu.Item class="menu-item" onSelect={() => deed("remove")}
          >Remove all keyframes</DropdownMenu.Item
        >
      {/if}
      <DropdownMenu.Item
        class="menu-item"
        disabled={!desk.clips.length}
        onSelect={() => deed("paste")}>Paste keyframes from this frame on</DropdownMenu.Item
      >
    </DropdownMenu.Content>
  </DropdownMenu.Portal>
</DropdownMenu.Root>
