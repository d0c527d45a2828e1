<script lang="ts">
  import { Dialog } from "bits-ui";
  import type { Desk } from "./desk.svelte";
  import type { Ease } from "./values";

  /** Asks between which frames something arrives at its present values, or leaves them. */
  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  const first = $derived(shot.doc!.first_number);
  let from = $state(0);
  let to = $state(0);
  let ease = $state<Ease>("smooth");
  const arrives = $derived(desk.arriving?.way !== "leave");

  $effect(() => {
    if (!desk.arriving) return;
    const last = shot.count - 1;
    const long = Math.max(1, Math.min(Math.round(desk.fps), last));
    if (desk.loop) [from, to] = desk.loop;
    else if (desk.arriving.way === "arrive")
      [from, to] = desk.frame > 0 ? [Math.max(0, desk.frame - long), desk.frame] : [0, long];
    else [from, to] = [desk.frame, Math.min(last, desk.frame + long)];
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

<Dialog.Root bind:open={() => desk.arriving !== null, (open) => !open && (desk.arriving = null)}>
  <Dialog.Portal>
    <Dialog.Overlay class="keys-back" />
    <Dialog.Content class="arriving">
      <Dialog.Title level={2}>{desk.arriving?.title} {arrives ? "arrives" : "leaves"}</Dialog.Title>
      <p>
        {arrives
          ? "From its neutral values on the first frame to what it is on the last one."
          : "From what it is on the first frame to its neutral values on the last one."}
      </p>
      <form
        onsubmit={(e) => {
          e.preventDefault();
          void go();
        }}
      >
        {#each bounds as { says, label, frame, put } (says)}
          <label>
            {says}
            <input
              class="field"
              type="number"
              aria-label={label}
              min={first}
              max={first + shot.count - 1}
              value={first + frame}
              onchange={(e) => put(Math.max(0, e.currentTarget.valueAsNumber - first))}
            />
          </label>
        {/each}
        <label>
          ease <select class="field" bind:value={ease} aria-label="Ease">
            {#each ["smooth", "linear", "free", "hold"] as one (one)}<option>{one}</option>{/each}
          </select>
        </label>
        <button class="btn" type="submit" disabled={!(from < to)}
          >{arrives ? "Arrive" : "Leave"}</button
        >
        <Dialog.Close class="btn">Cancel</Dialog.Close>
      </form>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>

<style>
  :global(.arriving) {
    position: fixed;
    z-index: 71;
    left: 50%;
    top: 50%;
    translate: -50% -50%;
    width: min(520px, 92vw);
    background: var(--sheet);
    border: 1px solid var(--ink);
    border-radius: 8px;
    padding: 14px 18px;
  }
  :global(.arriving h2),
  :global(.arriving [role="heading"]) {
    margin: 0;
    font-size: 16px;
    font-weight: 600;
  }
  p {
    margin: 4px 0 12px;
    color: var(--quiet);
  }
  form {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 8px 12px;
  }
  label {
    display: inline-flex;
    align-items: center;
    gap: 6px;
  }
  input {
    width: 76px;
    font-family: var(--font-mono);
  }
</style>
