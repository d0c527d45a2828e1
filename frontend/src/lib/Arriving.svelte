<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import Button from "../ui/Button.svelte";
  import Dialog from "../ui/Dialog.svelte";
  import NumberField from "../ui/NumberField.svelte";
  import Segments from "../ui/Segments.svelte";
  import type { Ease } from "./values";

  const EASES: Ease[] = ["smooth", "linear", "free", "hold"];

  /** Asks between which frames something arrives at its present values, or leaves them. */
  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  const first = $derived(shot.doc.first_number);
  let from = $state(0);
  let to = $state(0);
  let ease = $state<Ease>("smooth");
  const arrives = $derived(desk.arriving?.way !== "leave");

  $effect(() => {
    if (!desk.arriving) return;
    const last = shot.count - 1;
    const long = Math.max(1, Math.min(Math.round(desk.playback.fps), last));
    if (desk.playback.loop) [from, to] = desk.playback.loop;
    else if (desk.arriving.way === "arrive")
      [from, to] =
        desk.playback.frame > 0
          ? [Math.max(0, desk.playback.frame - long), desk.playback.frame]
          : [0, long];
    else [from, to] = [desk.playback.frame, Math.min(last, desk.playback.frame + long)];
  });

  const bounds = $derived([
    { says: "from", label: "From frame", frame: from, put: (frame: number) => (from = frame) },
    { says: "to", label: "To frame", frame: to, put: (frame: number) => (to = frame) },
  ]);

  async function go() {
    const wanted = desk.arriving;
    if (!wanted) return;
    const label = `${wanted.title} ${wanted.way === "arrive" ? "arrives" : "leaves"}`;
    const span = { first: from, last: to, ease };
    if (await shot.deed(wanted.way, wanted.places, span, label)) desk.arriving = null;
  }
</script>

<Dialog
  title={`${desk.arriving?.title} ${arrives ? "arrives" : "leaves"}`}
  open={desk.arriving !== null}
  onclose={() => (desk.arriving = null)}
  width={520}
>
  <p class="mt-1 mb-3 text-quiet">
    {arrives
      ? "From its neutral values on the first frame to what it is on the last one."
      : "From what it is on the first frame to its neutral values on the last one."}
  </p>
  <form
    class="flex flex-wrap items-center gap-x-3 gap-y-2"
    onsubmit={(e) => {
      e.preventDefault();
      void go();
    }}
  >
    {#each bounds as { says, label, frame, put } (says)}
      <span class="inline-flex items-center gap-1.5">
        {says}
        <NumberField
          class="w-16 rounded border border-rule bg-card px-1"
          name={label}
          low={first}
          high={first + shot.count - 1}
          value={first + frame}
          onset={(number) => put(Math.round(number) - first)}
        />
      </span>
    {/each}
    <Segments
      name="Ease"
      value={ease}
      options={EASES.map((one) => ({ value: one, label: one }))}
      onpick={(one) => (ease = one as Ease)}
    />
    <Button type="submit" disabled={!(from < to)}>{arrives ? "Arrive" : "Leave"}</Button>
    <Button onclick={() => (desk.arriving = null)}>Cancel</Button>
  </form>
</Dialog>
