<!-- Asks what the shot has for each thing that a look needs. -->
<script lang="ts">
  import { api } from "../lib/api";
  import { notes } from "../lib/notes.svelte";
  import type { Desk } from "../desk/desk.svelte";
  import Button from "../ui/Button.svelte";
  import Dialog from "../ui/Dialog.svelte";
  import Select from "../ui/Select.svelte";
  import { layWith, type Chosen } from "./looks.svelte";

  let { desk }: { desk: Desk } = $props();
  const laying = $derived(desk.laying);
  let chosen = $state<Chosen>({});

  $effect(() => {
    if (!laying) return;
    const body = { look: laying.look.id, plane: laying.plane?.id ?? null };
    chosen = {};
    void api
      .suited(desk.shot.id, { ...body, prefer: desk.selection.matteId, chosen: {} })
      .then((found) => (chosen = found.chosen))
      .catch(notes.fault);
  });

  const options = {
    matte: () => desk.shot.doc.mattes.map(({ id, name }) => ({ value: id, label: name })),
    footage: () => [
      { value: "", label: "nothing for now" },
      ...desk.shot.doc.footage.map(({ id, name }) => ({ value: id, label: name })),
    ],
  };
  const ready = $derived(
    !!laying?.look.needs.every((need) => need.of === "footage" || chosen[need.id]),
  );
</script>

<Dialog
  title={`Lay on ${laying?.look.name}`}
  open={laying !== null}
  onclose={() => (desk.laying = null)}
  width={460}
>
  {#if laying}
    <p class="mt-1 mb-3 text-quiet">It was made with these; choose what this shot has for each.</p>
    <form
      class="grid gap-2"
      onsubmit={(e) => {
        e.preventDefault();
        void layWith(desk, laying, chosen);
      }}
    >
      {#each laying.look.needs as need (need.id)}
        {@const choices = options[need.of]()}
        <div class="grid grid-cols-[1fr_200px] items-center gap-3">
          <span
            ><strong class="font-medium">{need.name}</strong>
            <small class="text-quiet">{need.of}</small></span
          >
          {#if choices.length}
            <Select
              name={`${need.of} for ${need.name}`}
              value={chosen[need.id] ?? ""}
              options={choices}
              onpick={(value) => (chosen = { ...chosen, [need.id]: value || null })}
            />
          {:else}
            <small class="text-redtext">this shot has no matte yet</small>
          {/if}
        </div>
      {/each}
      <div class="mt-2 flex gap-2">
        <Button type="submit" disabled={!ready}>Lay on</Button>
        <Button onclick={() => (desk.laying = null)}>Cancel</Button>
      </div>
    </form>
  {/if}
</Dialog>
