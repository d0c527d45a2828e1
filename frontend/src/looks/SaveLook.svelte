<!-- Saves what a plane does, or the whole stand, as a look. -->
<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import Button from "../ui/Button.svelte";
  import Dialog from "../ui/Dialog.svelte";
  import Segments from "../ui/Segments.svelte";

  let { desk }: { desk: Desk } = $props();
  const plane = $derived(desk.shot.plane(desk.saving));
  let name = $state("");
  let what = $state("plane");
  const options = $derived([
    ...(plane?.treatments.length ? [{ value: "treatments", label: "its treatments" }] : []),
    {
      value: "plane",
      label: plane?.kind === "group" ? "the group" : plane?.gate ? "it with its gate" : "the plane",
    },
    { value: "stand", label: "the whole stand" },
  ]);
  /** All planes but a bare plate at the back, which every shot has. */
  const stand = $derived.by(() => {
    const all = desk.shot.doc.planes;
    const last = all.at(-1);
    const bare = last?.kind === "plate" && !last.treatments.length && !last.gate;
    return (bare ? all.slice(0, -1) : all).map((one) => one.id);
  });

  $effect(() => {
    if (plane) [name, what] = [plane.name, plane.treatments.length ? "treatments" : "plane"];
  });

  async function save() {
    if (!plane || !name.trim()) return;
    const planes = what === "stand" ? stand : what === "plane" ? [plane.id] : [];
    const of = what === "treatments" ? plane.id : null;
    if (await desk.looks.save(desk, name.trim(), planes, of)) desk.saving = null;
  }
</script>

<Dialog
  title="Save as a look"
  open={desk.saving !== null}
  onclose={() => (desk.saving = null)}
  width={480}
>
  {#if plane}
    <form
      class="mt-2 grid gap-3"
      onsubmit={(e) => {
        e.preventDefault();
        void save();
      }}
    >
      <label class="grid grid-cols-[90px_1fr] items-center gap-2"
        >Name
        <input
          bind:value={name}
          maxlength="120"
          class="min-h-7 rounded border border-rule bg-card px-2"
        /></label
      >
      <div class="grid grid-cols-[90px_1fr] items-center gap-2">
        <span>Holds</span>
        <Segments
          name="What the look holds"
          value={what}
          {options}
          onpick={(one) => (what = one)}
        />
      </div>
      <p class="text-xs text-quiet">
        Its keyframes are counted from the first frame of the range, and stretch to that of the shot
        it is laid on. Its picture is of this frame.
      </p>
      <div class="flex gap-2">
        <Button type="submit" disabled={!name.trim()}>Save</Button>
        <Button onclick={() => (desk.saving = null)}>Cancel</Button>
      </div>
    </form>
  {/if}
</Dialog>
