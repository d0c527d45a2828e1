<!-- What the numbers of a piece of footage mean: as its file says, or set by hand. -->
<script lang="ts">
  import { api } from "../lib/api";
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
  ];
  let hand = $state.raw<Record<string, string>>({});
  const rgb = $derived(footage?.space?.matrix === "rgb");
  const parts = $derived(PARTS.filter((p) => !rgb || !["matrix", "range"].includes(p.name)));

  $effect(() => {
    hand = { ...(footage?.hand ?? {}) };
  });

  function says(part: (typeof PARTS)[number]): string {
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
