<script lang="ts">
  import { api } from "../lib/api";
  import type { CleanPlateRequest } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { notes } from "../lib/notes.svelte";

  import Button from "../ui/Button.svelte";
  import Dialog from "../ui/Dialog.svelte";
  import NumberField from "../ui/NumberField.svelte";
  import Progress from "../ui/Progress.svelte";
  import Select from "../ui/Select.svelte";

  /** Builds a clean plate from the shot's frames, and gives it to the field at `path`. */
  let { desk, path }: { desk: Desk; path: string } = $props();
  let open = $state(false);
  let how = $state<CleanPlateRequest["how"]>("median");
  let matte = $state("");
  let parts = $state<{ frame: number; matte: string }[]>([]);
  let building = $state<number | null>(null);
  /** Where the last one that was built here was seen. */
  let drawn = $state.raw<{ job: number; covered: number } | null>(null);
  const doc = $derived(desk.shot.doc);
  const first = $derived(doc.first_number);
  const mattes = $derived(doc.mattes.map((one) => ({ value: one.id, label: one.name })));
  const ways: { value: CleanPlateRequest["how"]; label: string; hint: string }[] = [
    { value: "median", label: "Median", hint: "what most frames show at each place" },
    {
      value: "free",
      label: "Where the subject is not",
      hint: "the median of those frames in which a rough matte leaves a place free",
    },
    {
      value: "parts",
      label: "From held frames",
      hint: "one frame, with parts of others laid over it; a matte of soft shapes says which part",
    },
  ];
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
      const project = await api.project(desk.shot.about.project);
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
    matte ||=
      doc.mattes.find((m) => m.id !== desk.selection.matteId)?.id ?? desk.selection.matteId ?? "";
    if (!parts.length) parts = [{ frame: desk.playback.frame, matte: "" }];
    open = true;
  }

  async function build() {
    const wanted: CleanPlateRequest = {
      how,
      first: desk.playback.first,
      last: desk.playback.last,
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

{#if building === null}
  <Button onclick={show}>Build a clean plate …</Button>
{:else}
  <div class="flex w-full items-center gap-2 text-xs">
    <Progress
      class="min-w-16 flex-1"
      name="Building the clean plate"
      share={job?.total ? job.done / job.total : 0}
    />
    <span class="text-quiet">{job?.total ? `${job.done} of ${job.total}` : "begins"}</span>
    <Button kind="bare" onclick={() => api.stop(building!).catch((e) => notes.fault(e))}
      >Stop</Button
    >
  </div>
{/if}

{#if drawn}
  <figure class="flex w-full items-center gap-2">
    <img
      class="block max-h-13 flex-none rounded-sm"
      src={`/api/jobs/${drawn.job}/file`}
      alt="Where the background was seen"
    />
    <figcaption class="text-[11px] text-quiet">
      {drawn.covered < 1
        ? `Hatched: no frame shows it (${((1 - drawn.covered) * 100).toFixed(1)} %).`
        : "Seen everywhere; darker where fewer frames show it."}
    </figcaption>
  </figure>
{/if}

<Dialog title="Build a clean plate" {open} onclose={() => (open = false)}>
  <p>
    From {desk.playback.loop ? "the frames of the loop" : "all frames"} of this shot, whose camera stands
    still.
  </p>
  <div
    class="my-3 grid justify-items-start gap-2"
    role="radiogroup"
    aria-label="How the clean plate is built"
  >
    {#each ways as way (way.value)}
      <label class="flex gap-2">
        <input type="radio" bind:group={how} value={way.value} />
        <span class="text-quiet"
          ><strong class="block font-semibold text-ink">{way.label}</strong>
          {way.hint}</span
        >
      </label>
      {#if how === "free" && way.value === "free"}
        <Select
          class="ml-6"
          name="Matte of the subject"
          value={matte}
          options={mattes}
          onpick={(id) => (matte = id)}
        />
      {:else if how === "parts" && way.value === "parts"}
        {#each parts as part, i (i)}
          <div class="ml-6 flex items-center gap-1.5">
            <span>{i ? "over it, frame" : "frame"}</span>
            <NumberField
              class="w-20 rounded border border-rule bg-card px-1"
              name={`Frame of part ${i + 1}`}
              low={first}
              high={first + desk.shot.count - 1}
              value={first + part.frame}
              onset={(number) => (part.frame = Math.round(number) - first)}
            />
            {#if i}
              <Select
                name={`Matte of part ${i + 1}`}
                value={part.matte}
                options={[
                  { value: "", label: "all of it" },
                  ...mattes.map((one) => ({ ...one, label: `inside ${one.label}` })),
                ]}
                onpick={(id) => (part.matte = id)}
              />
              <Button kind="bare" onclick={() => parts.splice(i, 1)}>Remove</Button>
            {/if}
          </div>
        {/each}
        <Button
          class="ml-6"
          onclick={() => parts.push({ frame: desk.playback.frame, matte: doc.mattes[0]?.id ?? "" })}
          >Another frame</Button
        >
      {/if}
    {/each}
  </div>
  <div class="flex justify-end gap-2">
    <Button onclick={() => (open = false)}>Close</Button>
    <Button kind="main" onclick={build}>Build</Button>
  </div>
</Dialog>
