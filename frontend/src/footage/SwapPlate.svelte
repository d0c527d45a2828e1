<!-- Asks before another plate comes under the shot: what is fitted, what is lost, which traces are followed anew. -->
<script lang="ts">
  import { api, type Op } from "../lib/api";
  import type { SwapOut } from "../lib/api-types";
  import { notes } from "../lib/notes.svelte";
  import type { Desk } from "../desk/desk.svelte";
  import Button from "../ui/Button.svelte";
  import Dialog from "../ui/Dialog.svelte";
  import Segments from "../ui/Segments.svelte";
  import Toggle from "../ui/Toggle.svelte";

  const TIMES = ["frame by frame", "by the clock"] as const;
  let { desk }: { desk: Desk } = $props();
  const footage = $derived(desk.swapping);
  let times = $state<(typeof TIMES)[number]>("frame by frame");
  let anew = $state<string[]>([]);
  let found = $state.raw<SwapOut | null>(null);
  const traced = $derived(
    desk.shot.doc.mattes.filter((matte) => {
      const pull = desk.shot.trace(matte);
      return pull && pull.marks.length;
    }),
  );
  const rated = $derived(!!footage && Math.abs(footage.fps - desk.playback.fps) > 1e-6);

  $effect(() => {
    if (!footage) return;
    [times, anew] = ["frame by frame", []];
  });
  $effect(() => {
    if (!footage) return;
    const body = { footage: footage.id, times, anew: [...anew] };
    let late = false;
    // what was answered to another choice is not what would be done
    found = null;
    void desk.shot
      .settled()
      .then(() => api.swap(desk.shot.id, body))
      .then((swap) => !late && (found = swap))
      .catch(notes.fault);
    return () => (late = true);
  });

  async function go() {
    if (!footage || !found) return;
    const { ops, pulls } = found;
    const plate = String(footage.id);
    desk.shot.edit(ops as Op[], `put ${footage.name} under the shot`);
    desk.swapping = null;
    desk.slide = "none";
    if (!pulls.length) return;
    try {
      await desk.shot.settled();
      if (desk.shot.doc.plate !== plate) return;
      for (const pull of pulls) {
        const trace = desk.shot.doc.mattes.flatMap((m) => m.pulls).find((p) => p.id === pull);
        const start = trace?.marks[0]?.frame ?? 0;
        desk.shot.takeJob(await api.follow(desk.shot.id, pull, start, 1, false, true));
      }
    } catch (error) {
      notes.fault(error);
    }
  }
</script>

<Dialog
  title={`Put ${footage?.name} under this shot`}
  open={footage !== null}
  onclose={() => (desk.swapping = null)}
  width={560}
>
  {#if footage}
    <div class="mt-2 grid gap-3">
      <p class="text-quiet">
        The recipe stays, and works on the other pictures from then on. One undo brings this plate
        back.
      </p>
      {#if rated}
        <div class="flex items-center gap-3">
          <span>Times go</span>
          <Segments
            name="Times go"
            value={times}
            options={TIMES.map((one) => ({ value: one, label: one }))}
            onpick={(one) => (times = one as typeof times)}
          />
        </div>
      {/if}
      {#if traced.length}
        <fieldset class="grid gap-1">
          <legend class="mb-1">Followed anew, from the frames that were touched</legend>
          {#each traced as matte (matte.id)}
            <div class="flex items-center gap-2">
              <Toggle
                name={`Follow ${matte.name} anew`}
                on={anew.includes(matte.id)}
                onturn={(on) =>
                  (anew = on ? [...anew, matte.id] : anew.filter((one) => one !== matte.id))}
              />
              <span>{matte.name}</span>
              <small class="text-quiet"
                >{anew.includes(matte.id)
                  ? "its marks are solved on the new plate"
                  : "its stored frames are kept as they are"}</small
              >
            </div>
          {/each}
        </fieldset>
      {/if}
      {#if found?.said.length}
        <ul aria-label="What is fitted" class="list-disc pl-5">
          {#each found.said as line (line)}<li>{line}</li>{/each}
        </ul>
      {/if}
      {#if found?.lost.length}
        <ul aria-label="What can't carry over" class="list-disc pl-5 text-redtext">
          {#each found.lost as line (line)}<li>{line}</li>{/each}
        </ul>
      {:else if found}
        <p class="text-quiet">All carries over.</p>
      {/if}
      <div class="flex gap-2">
        <Button disabled={!found} onclick={go}>Put it under the shot</Button>
        <Button onclick={() => (desk.swapping = null)}>Cancel</Button>
      </div>
    </div>
  {/if}
</Dialog>
