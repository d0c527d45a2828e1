<script lang="ts">
  import { Dialog } from "bits-ui";
  import { api } from "../lib/api";
  import type { CleanPlateRequest } from "../lib/api-types";
  import type { Desk } from "../lib/desk.svelte";
  import { notes } from "../lib/notes.svelte";

  /** Builds a clean plate from the shot's frames, and gives it to the field at `path`. */
  let { desk, path }: { desk: Desk; path: string } = $props();
  let open = $state(false);
  let how = $state<CleanPlateRequest["how"]>("median");
  let matte = $state("");
  let parts = $state<{ frame: number; matte: string }[]>([]);
  let building = $state<number | null>(null);
  /** Where the last one that was built here was seen. */
  let drawn = $state.raw<{ job: number; covered: number } | null>(null);
  const doc = $derived(desk.shot.doc!);
  const first = $derived(doc.first_number);
  const job = $derived(desk.shot.jobs.find((one) => one.id === building));

  $effect(() => {
    const ended = job;
    if (!ended || ["waiting", "working"].includes(ended.state)) return;
    building = null;
    drawn = ended.result.blob ? { job: ended.id, covered: Number(ended.result.covered) } : null;
    if (ended.state === "done")
      void take(Number(ended.result.footage), Number(ended.result.covered));
  });

  async function take(id: number, covered: number) {
    try {
      const project = await api.project(desk.shot.about!.project);
      const found = project.footage.find((f) => f.id === id);
      if (!found) return;
      desk.useFootage(found, path, "clean plate");
      notes.add(
        "The clean plate is ready.",
        covered < 1
          ? `No frame shows the background of ${((1 - covered) * 100).toFixed(1)} % of the picture.`
          : "",
      );
    } catch (error) {
      notes.fault(error);
    }
  }

  function show() {
    matte ||= doc.mattes.find((m) => m.id !== desk.matteId)?.id ?? desk.matteId ?? "";
    if (!parts.length) parts = [{ frame: desk.frame, matte: "" }];
    open = true;
  }

  async function build() {
    const wanted: CleanPlateRequest = {
      how,
      first: desk.first,
      last: desk.last,
      matte: how === "free" ? matte : null,
      parts:
        how === "parts"
          ? parts.map((p, i) => ({ frame: p.frame, matte: i ? p.matte || null : null }))
          : [],
    };
    try {
      const started = await api.cleanPlate(desk.shot.id, wanted);
      desk.shot.takeJob(started);
      building = started.id;
      open = false;
    } catch (error) {
      notes.fault(error);
    }
  }
</script>

<button class="btn" disabled={building !== null} onclick={show}
  >{building === null ? "Build a clean plate …" : "Building the clean plate …"}</button
>

{#if drawn}
  <figure>
    <img src={`/api/jobs/${drawn.job}/file`} alt="Where the background was seen" />
    <figcaption>
      {drawn.covered < 1
        ? `Hatched: no frame shows it (${((1 - drawn.covered) * 100).toFixed(1)} %).`
        : "Seen everywhere; darker where fewer frames show it."}
    </figcaption>
  </figure>
{/if}

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="keys-back" />
    <Dialog.Content class="keys-sheet">
      <Dialog.Title class="dialog-title">Build a clean plate</Dialog.Title>
      <Dialog.Description>
        From {desk.loop ? "the frames of the loop" : "all frames"} of this shot, whose camera stands still.
      </Dialog.Description>
      <div class="ways" role="radiogroup" aria-label="How the clean plate is built">
        <label>
          <input type="radio" bind:group={how} value="median" />
          <span><strong>Median</strong> what most frames show at each place</span>
        </label>
        <label>
          <input type="radio" bind:group={how} value="free" />
          <span
            ><strong>Where the subject is not</strong> the median of those frames in which a rough matte
            leaves a place free</span
          >
        </label>
        {#if how === "free"}
          <select class="field" aria-label="Matte of the subject" bind:value={matte}>
            {#each doc.mattes as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
          </select>
        {/if}
        <label>
          <input type="radio" bind:group={how} value="parts" />
          <span
            ><strong>From held frames</strong> one frame, with parts of others laid over it; a matte of
            soft shapes says which part</span
          >
        </label>
        {#if how === "parts"}
          {#each parts as part, i (i)}
            <div class="part">
              <span>{i ? "over it, frame" : "frame"}</span>
              <input
                class="field"
                type="number"
                aria-label={`Frame of part ${i + 1}`}
                min={first}
                max={first + desk.shot.count - 1}
                value={first + part.frame}
                onchange={(e) =>
                  (part.frame = Math.max(
                    0,
                    Math.min(desk.shot.count - 1, e.currentTarget.valueAsNumber - first || 0),
                  ))}
              />
              {#if i}
                <select class="field" aria-label={`Matte of part ${i + 1}`} bind:value={part.matte}>
                  <option value="">all of it</option>
                  {#each doc.mattes as one (one.id)}<option value={one.id}>inside {one.name}</option
                    >{/each}
                </select>
                <button class="btn-bare" onclick={() => parts.splice(i, 1)}>Remove</button>
              {/if}
            </div>
          {/each}
          <button
            class="btn"
            onclick={() => parts.push({ frame: desk.frame, matte: doc.mattes[0]?.id ?? "" })}
            >Another frame</button
          >
        {/if}
      </div>
      <div class="end">
        <Dialog.Close class="btn">Close</Dialog.Close>
        <button class="btn btn-red" onclick={build}>Build</button>
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>

<style>
  figure {
    margin: 5px 0 0;
  }
  figure img {
    display: block;
    width: 100%;
    border-radius: 3px;
  }
  figcaption {
    font-size: 11px;
    color: var(--quiet);
  }
  :global(.dialog-title) {
    font-size: 17px;
    font-weight: 600;
  }
  .ways {
    display: grid;
    gap: 7px;
    margin: 12px 0;
  }
  label {
    display: flex;
    gap: 8px;
  }
  strong {
    display: block;
    font-weight: 600;
  }
  label span {
    color: var(--quiet);
  }
  label strong {
    color: var(--ink);
  }
  .ways > select,
  .ways > .btn,
  .part {
    margin-left: 24px;
    justify-self: start;
  }
  .part {
    display: flex;
    align-items: center;
    gap: 6px;
  }
  .part input {
    width: 84px;
  }
  .end {
    display: flex;
    justify-content: end;
    gap: 8px;
  }
</style>
