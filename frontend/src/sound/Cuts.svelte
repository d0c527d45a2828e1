<!-- Camera shots within the plate: where they begin, looked for or marked by hand, and made shots of their own. -->
<script lang="ts">
  import { api } from "../lib/api";
  import type { Desk } from "../desk/desk.svelte";
  import { notes } from "../lib/notes.svelte";
  import { openedReel } from "../reel/make";
  import Button from "../ui/Button.svelte";
  import Progress from "../ui/Progress.svelte";
  import SlideHead from "../ui/SlideHead.svelte";
  import { cutOps, placeOf } from "./cuts";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  const first = $derived(shot.doc.first_number);
  const cuts = $derived(shot.doc.cuts ?? []);
  const looking = $derived(shot.underWay("cuts"));
  const here = $derived(placeOf(cuts, desk.playback.frame));
  let made = $state.raw<{ id: number; name: string }[]>([]);
  let busy = $state(false);

  async function look() {
    try {
      await shot.settled();
      shot.takeJob(await api.cuts(shot.id));
    } catch (error) {
      notes.fault(error);
    }
  }

  async function pieces() {
    busy = true;
    try {
      await shot.settled();
      made = (await api.pieces(shot.id)).shots;
      notes.add(`${made.length} shots were made, in order.`);
    } catch (error) {
      notes.fault(error);
    }
    busy = false;
  }

  /** The pieces as shots, one behind the other in a reel, which is opened. */
  async function reel() {
    busy = true;
    try {
      await shot.settled();
      const { shots } = await api.pieces(shot.id);
      const ids = shots.map((one) => one.id);
      await openedReel(shot.about.project, `${shot.doc.name.slice(0, 100)}, cut`, ids);
    } catch (error) {
      notes.fault(error);
    }
    busy = false;
  }

  function mark() {
    const ops = cutOps(cuts, here, here === null ? { frame: desk.playback.frame, to: null } : null);
    shot.edit(ops, here === null ? "mark a cut" : "take a cut away");
  }
</script>

<section class="room" aria-label="Cuts">
  <SlideHead {desk} title="Cuts" />
  <p class="mb-1.5 text-xs text-quiet">
    Where the plate goes from one camera shot to another. A cut lies before its frame; drag it in
    the sheet’s film column. Flashes and whip pans are no cuts.
  </p>
  {#if looking}
    <div class="flex items-center gap-2 py-1 text-xs">
      <Progress
        class="w-28"
        name={looking.title}
        share={looking.total ? looking.done / looking.total : 0}
      />
      <span class="flex-1">{looking.done} of {looking.total || "…"} frames</span>
      <Button kind="bare" onclick={() => api.stop(looking.id).catch((e) => notes.fault(e))}
        >Stop</Button
      >
    </div>
  {:else}
    <div class="flex flex-wrap gap-1.5">
      <Button onclick={look}>{cuts.length ? "Look again" : "Look for cuts"}</Button>
      <Button disabled={desk.playback.frame === 0} onclick={mark}
        >{here === null ? "Mark one here" : "Take this one away"}</Button
      >
    </div>
  {/if}
  {#if cuts.length}
    <ol class="mt-2.5 grid gap-0.5">
      {#each cuts as cut, n (n)}
        <li class="flex items-center gap-1.5 border-b border-faint py-0.5 text-xs">
          <Button
            kind="bare"
            aria-current={here === n}
            class={here === n ? "font-semibold text-ink" : ""}
            onclick={() => desk.playback.go(cut.frame)}
            >{cut.to == null
              ? `cut at ${first + cut.frame}`
              : `mix, ${first + cut.frame} to ${first + cut.to}`}</Button
          >
          <span class="flex-1"></span>
          <Button
            kind="bare"
            aria-label={`Take the cut at ${first + cut.frame} away`}
            onclick={() => shot.edit(cutOps(cuts, n, null), "take a cut away")}>✕</Button
          >
        </li>
      {/each}
    </ol>
    <Button kind="main" class="mt-2.5 w-full justify-center" disabled={busy} onclick={pieces}
      >Make {cuts.length + 1} shots of the pieces</Button
    >
    <Button class="mt-1.5 w-full justify-center" disabled={busy} onclick={reel}
      >Make a reel of them</Button
    >
  {/if}
  {#if made.length}
    <ul class="mt-2 grid gap-0.5 text-xs" aria-label="Shots that were made">
      {#each made as one (one.id)}
        <li><a class="text-bluetext" href={`#/shot/${one.id}`}>{one.name}</a></li>
      {/each}
    </ul>
  {/if}
</section>
