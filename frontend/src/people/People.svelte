<!-- Who is in the picture: found, covered, and looked for again in what comes out. -->
<script lang="ts">
  import { api } from "../lib/api";
  import type { AuditStanding, JobOut } from "../lib/api-types";
  import { asking } from "../lib/asking.svelte";
  import type { Desk } from "../desk/desk.svelte";
  import { notes } from "../lib/notes.svelte";
  import Button from "../ui/Button.svelte";
  import Progress from "../ui/Progress.svelte";
  import Segments from "../ui/Segments.svelte";
  import SlideHead from "../ui/SlideHead.svelte";
  import { coverFinding, isCovered, type Finding, type Somebody } from "./people";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  const first = $derived(shot.doc.first_number);
  const search = $derived(shot.last("people"));
  const audit = $derived(shot.last("audit"));
  const looking = $derived(shot.underWay("people"));
  const auditing = $derived(shot.underWay("audit"));
  const people = $derived((search?.result.people ?? []) as Somebody[]);
  const findings = $derived((audit?.result.findings ?? []) as Finding[]);
  const open = $derived(findings.filter((one) => !one.accepted).length);
  let standing = $state.raw<AuditStanding | null>(null);
  const leftOut = $derived(Number(audit?.result.left_out ?? 0));
  const stale = $derived(standing !== null && standing.job === audit?.id && !standing.now);
  let chosen = $state<number[]>([]);
  const kinds = $derived(
    shot.entry("treatment", "cover").fields.find((f) => f.name === "how")!.options,
  );

  // whether the pictures are still those that were looked at is the server's to say
  $effect(() => {
    void [shot.version, audit?.told];
    if (auditing || !audit) return;
    api.auditStanding(shot.id).then(
      (now) => (standing = now),
      () => {}, // the next change asks again
    );
  });

  const at = (frame: number) => first + frame;
  const span = (one: Somebody) =>
    one.first === one.last ? `${at(one.first)}` : `${at(one.first)} to ${at(one.last)}`;

  async function tried(deed: () => Promise<unknown>) {
    try {
      await shot.settled();
      await deed();
    } catch (error) {
      notes.fault(error);
    }
  }

  const look = () => tried(async () => shot.takeJob(await api.people(shot.id)));
  const check = () =>
    tried(async () =>
      // what is still as it was looked at is not looked at again
      shot.takeJob(
        await api.audit(shot.id, { first: null, last: null, of: stale ? audit!.id : null }),
      ),
    );

  function turn(place: number) {
    chosen = chosen.includes(place) ? chosen.filter((n) => n !== place) : [...chosen, place];
  }

  const covered = $derived(people.map((one) => isCovered(shot.doc, one)));
  /** Who would be covered: those that are chosen, or all others, of whom nobody is twice. */
  const wanted = (others: boolean) =>
    [...people.keys()].filter((n) => !covered[n] && chosen.includes(n) !== others);
  const cover = (others: boolean) =>
    tried(async () => {
      const who = wanted(others);
      await api.cover(shot.id, {
        job: search!.id,
        chosen: who,
        others: false,
        how: desk.coverBy,
      });
      chosen = [];
      desk.view.mode = "result";
    });

  async function accept(place: number, one: Finding) {
    const reason = one.accepted
      ? ""
      : await asking.name("Why may this stay open?", "It is no face", "Accept");
    if (reason === null) return;
    await tried(async () => shot.takeJob(await api.accept(audit!.id, place, reason)));
  }
</script>

{#snippet working(job: JobOut)}
  <div class="flex items-center gap-2 py-1 text-xs">
    <Progress class="w-28" name={job.title} share={job.total ? job.done / job.total : 0} />
    <span class="flex-1">{job.done} of {job.total || "…"} frames</span>
    <Button kind="bare" onclick={() => api.stop(job.id).catch((e) => notes.fault(e))}>Stop</Button>
  </div>
{/snippet}

<section class="room" aria-label="People">
  <SlideHead {desk} title="Who is in the picture" />
  {#if looking}
    {@render working(looking)}
  {:else}
    <p class="mb-1 text-xs text-quiet">
      {search
        ? people.length
          ? "Press who is to be covered."
          : "No face was found. Cover a drawn shape instead: a glaze with the treatment Cover."
        : "Faces are looked for on every frame, here on this machine, and joined into people. Nothing of who they are is kept."}
    </p>
    <Button onclick={look}>{search ? "Look again" : "Look for people"}</Button>
  {/if}
  {#if people.length && search}
    <ul class="mt-2 grid grid-cols-3 gap-2">
      {#each people as one, n (n)}
        <li>
          <button
            type="button"
            class={[
              "block w-full overflow-hidden rounded border-2 text-left",
              chosen.includes(n) ? "border-ink" : "border-transparent",
            ]}
            aria-pressed={chosen.includes(n)}
            aria-label={`Somebody on frames ${span(one)}`}
            onclick={() => turn(n)}
            ondblclick={() => desk.playback.go(one.frame)}
          >
            <img class="block aspect-square w-full" src={api.portrait(search.id, n)} alt="" />
            <span class="block px-1 text-[11px] text-quiet"
              >{span(one)}<br />{covered[n] ? "covered" : `${one.seen} frames`}{chosen.includes(n)
                ? ", chosen"
                : ""}</span
            >
          </button>
        </li>
      {/each}
    </ul>
    <div class="mt-2 flex items-center gap-2 text-xs">
      By <Segments
        name="Covered by"
        value={desk.coverBy}
        options={kinds.map((kind) => ({ value: kind, label: kind }))}
        onpick={(kind) => (desk.coverBy = kind as typeof desk.coverBy)}
      />
    </div>
    <div class="mt-2 flex flex-wrap gap-1.5">
      <Button disabled={!wanted(false).length} onclick={() => cover(false)}
        >Cover {chosen.length ? `these ${chosen.length}` : "these"}</Button
      >
      <Button disabled={!wanted(true).length} onclick={() => cover(true)}
        >{covered.every(Boolean)
          ? "All are covered"
          : chosen.length
            ? "Cover all but these"
            : "Cover all"}</Button
      >
    </div>
  {/if}

  <h3 class="mt-4 mb-1 border-t border-rule pt-3 text-[13.5px] font-semibold">Audit</h3>
  {#if auditing}
    {@render working(auditing)}
  {:else}
    <p class="mb-1 text-xs text-quiet">
      {#if !audit}
        Every frame of the result is looked at for faces that are open by more than a tenth.
      {:else if leftOut}
        <b class="font-semibold text-redtext"
          >{leftOut} frames of the range were not looked at as they are now.</b
        >
      {:else if stale}
        <b class="font-semibold text-redtext">The shot has changed since it was audited.</b>
      {:else if !open}
        {audit.result.looked_at} frames looked at: nobody was found exposed{findings.length
          ? " who was not accepted"
          : ""}. A search can miss a face.
      {:else}
        <b class="font-semibold text-redtext">{open} {open === 1 ? "finding" : "findings"}</b> on
        {audit.result.looked_at} frames. Page Down goes from one to the next.
      {/if}
    </p>
    <Button onclick={check}>{audit ? "Audit again" : "Audit"}</Button>
    {#if audit}
      <a class="ml-2 text-xs underline" href={api.report(audit.id, "html")} download>Report</a>
      <a class="ml-2 text-xs underline" href={api.report(audit.id, "json")} download>JSON</a>
    {/if}
  {/if}
  {#if audit && findings.length}
    <ul class="mt-2 grid gap-1.5">
      {#each findings as one, n (n)}
        <li class="flex gap-2 border-t border-rule pt-1.5">
          <button
            type="button"
            class="flex-none"
            aria-label={`Go to the finding on frames ${span(one)}`}
            onclick={() => desk.playback.go(one.frame)}
          >
            <img
              class="block size-16"
              src={`${api.portrait(audit.id, n)}?of=${one.frame}`}
              alt=""
            />
          </button>
          <div class="min-w-0 flex-1 text-xs">
            <strong class="font-semibold">{span(one)}</strong>
            <span class="block text-quiet"
              >{one.accepted
                ? `accepted: ${one.accepted}`
                : `somebody ${one.person}, ${Math.round(one.covered * 100)} % covered`}</span
            >
            <Button
              kind="bare"
              disabled={!!auditing}
              onclick={() => tried(() => coverFinding(desk, audit!, n))}>Cover this</Button
            >
            <Button kind="bare" onclick={() => accept(n, one)}
              >{one.accepted ? "Not accepted" : "Accept …"}</Button
            >
          </div>
        </li>
      {/each}
    </ul>
  {/if}
</section>
