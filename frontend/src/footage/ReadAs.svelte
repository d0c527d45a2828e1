<!-- What the numbers of a piece of footage mean: as its file says, or set by hand. -->
<script lang="ts">
  import { api } from "../lib/api";
  import { colour } from "../lib/colour.svelte";
  import type { FootageOut } from "../lib/api-types";
  import { notes } from "../lib/notes.svelte";
  import Button from "../ui/Button.svelte";
  import Dialog from "../ui/Dialog.svelte";
  import Select from "../ui/Select.svelte";

  type Props = { footage: FootageOut | null; onclose: () => void; onset: () => void };
  let { footage, onclose, onset }: Props = $props();
  const PARTS: { name: string; label: string; options: [string, string][] }[] = [
    {
      name: "matrix",
      label: "Matrix",
      options: [
        ["bt601", "BT.601"],
        ["bt709", "BT.709"],
        ["bt2020", "BT.2020"],
      ],
    },
    {
      name: "range",
      label: "Range",
      options: [
        ["limited", "limited"],
        ["full", "full"],
      ],
    },
    {
      name: "primaries",
      label: "Primaries",
      options: [
        ["bt709", "BT.709"],
        ["bt601-525", "BT.601, 525 lines"],
        ["bt601-625", "BT.601, 625 lines"],
        ["bt2020", "BT.2020"],
        ["p3", "P3"],
      ],
    },
    {
      name: "transfer",
      label: "Transfer",
      options: [
        ["sdr", "BT.709 / sRGB"],
        ["linear", "linear light"],
        ["pq", "PQ"],
        ["hlg", "HLG"],
        ["cineon", "film density"],
      ],
    },
    {
      name: "fields",
      label: "Fields",
      options: [
        ["as they are", "as they are"],
        ["de-interlaced", "de-interlaced"],
      ],
    },
    {
      name: "edges",
      label: "Edges",
      options: [
        ["all of the picture", "all of the picture"],
        ["as the file names them", "as the file names them"],
      ],
    },
    {
      name: "times",
      label: "Times",
      options: [
        ["by the clock", "by the clock"],
        ["picture by picture", "picture by picture"],
      ],
    },
  ];
  const OF_COLOUR = ["primaries", "transfer"];
  let hand = $state.raw<Record<string, string>>({});
  const rgb = $derived(footage?.space?.matrix === "rgb");
  /** A colour space says what primaries and transfer are; times are a matter of films that come unevenly. */
  const parts = $derived(
    PARTS.filter(
      (p) =>
        (!rgb || !["matrix", "range"].includes(p.name)) &&
        (!hand.colour || !OF_COLOUR.includes(p.name)) &&
        (p.name !== "times" || footage?.variable) &&
        (p.name !== "edges" || footage?.window),
    ),
  );
  const layers = $derived(footage?.layers ?? []);
  const sounds = $derived(footage?.sounds ?? []);

  function heard(one: (typeof sounds)[number]): string {
    const named = [one.title, one.language && one.language !== "und" ? one.language : ""]
      .filter(Boolean)
      .join(", ");
    return `${named || `sound ${one.stream}`} (${one.codec}, ${one.channels} ch)`;
  }

  $effect(() => {
    hand = { ...(footage?.hand ?? {}) };
  });

  function says(part: (typeof PARTS)[number]): string {
    if (part.name === "times") return "unevenly";
    if (part.name === "edges") return `${footage?.window?.[2]} × ${footage?.window?.[3]}`;
    if (part.name === "fields") return footage?.interlaced ? "interlaced" : "whole pictures";
    const value = footage?.space?.[part.name];
    const label = part.options.find(([one]) => one === value)?.[1] ?? value;
    return footage?.assumed?.includes(part.name) ? `${label}, assumed` : `${label}`;
  }

  function set(name: string, value: string) {
    const rest = Object.fromEntries(Object.entries(hand).filter(([one]) => one !== name));
    hand = value ? { ...rest, [name]: value } : rest;
  }

  async function go() {
    try {
      await api.reading(footage!.id, hand);
      onset();
      onclose();
    } catch (error) {
      notes.fault(error);
    }
  }
</script>

<Dialog title={`How ${footage?.name} is read`} open={footage !== null} {onclose} width={520}>
  {#if footage}
    <p class="mt-1 text-quiet">
      The file stays as it is. Every shot on it is shown anew; mattes that were followed are kept.
    </p>
    <div class="mt-3 grid grid-cols-[90px_1fr] items-center gap-x-3 gap-y-1.5">
      <span>Colours</span>
      <Select
        class="w-full"
        name="Colours"
        value={hand.colour ?? ""}
        options={[
          { value: "", label: "as below", hint: "by matrix, primaries and transfer" },
          ...colour.spaces(),
        ]}
        onpick={(value) => set("colour", value)}
      />
      {#if layers.length > 1}
        <span>Layer</span>
        <Select
          class="w-full"
          name="Layer"
          value={hand.layer ?? layers[0]}
          options={layers.map((one, n) => ({
            value: one,
            label: one || "the picture itself",
            hint: n ? "" : "what is meant",
          }))}
          onpick={(value) => set("layer", value === layers[0] ? "" : value)}
        />
      {/if}
      {#if sounds.length > 1}
        <span>Sound</span>
        <Select
          class="w-full"
          name="Sound"
          value={hand.sound ?? ""}
          options={[
            { value: "", label: "the file's own choice" },
            ...sounds.map((one) => ({ value: String(one.stream), label: heard(one) })),
          ]}
          onpick={(value) => set("sound", value)}
        />
      {/if}
    </div>
    <dl class="my-3 grid grid-cols-[90px_1fr_170px] items-center gap-x-3 gap-y-1.5">
      {#each parts as part (part.name)}
        <dt>{part.label}</dt>
        <dd class="text-quiet">the file: {says(part)}</dd>
        <dd>
          <Select
            class="w-full"
            name={part.label}
            value={hand[part.name] ?? ""}
            options={[
              { value: "", label: "as the file says" },
              ...part.options.map(([value, label]) => ({ value, label })),
            ]}
            onpick={(value) => set(part.name, value)}
          />
        </dd>
      {/each}
    </dl>
    <div class="flex gap-2">
      <Button kind="main" onclick={go}>Read it so</Button>
      <Button onclick={onclose}>Cancel</Button>
    </div>
  {/if}
</Dialog>
