<!-- Where and how a take meets the plate: its frame, its line-up, its tone, its edge, its sound. -->
<script lang="ts">
  import type { Snippet } from "svelte";
  import type { FootageOut, Plane } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { api } from "../lib/api";
  import { notes } from "../lib/notes.svelte";
  import { newGesture } from "../lib/values";
  import Button from "../ui/Button.svelte";
  import Segments from "../ui/Segments.svelte";
  import Select from "../ui/Select.svelte";
  import Card from "./Card.svelte";
  import {
    freeze,
    hear,
    heardNow,
    isFrozen,
    joinAt,
    joinOf,
    lineUp,
    matchTone,
    ownFrame,
    stepTo,
    through,
    type Heard,
    type Kind,
    type Over,
    type Where,
  } from "./take-deeds";

  let { desk, plane }: { desk: Desk; plane: Plane } = $props();
  const KINDS: [Kind, string, string][] = [
    ["shift", "shift", "the camera was moved by a little"],
    ["similar", "shift, turn, size", "it was turned or zoomed, too"],
    ["affine", "stretch", "anything that leaves parallels parallel"],
    ["perspective", "perspective", "it stood elsewhere, before something flat"],
  ];
  const OVER: [Over, string, string][] = [
    ["frame", "this frame", "what holds on the join’s first frame holds for all"],
    ["all", "all frames", "one value, from several frames"],
    ["each", "each frame", "the camera or the light moves: a value for each frame, smoothed"],
  ];
  const HEARD: [Heard, string][] = [
    ["both", "first, then second"],
    ["first", "first"],
    ["second", "second"],
  ];
  const PLACES = [-3, -2, -1, 0, 1, 2, 3]; // small pictures of the take's film, about the join
  const AROUND = 10; // frames on either side of the join that are played there and back

  let kind = $state<Kind>("similar");
  let over = $state<Over>("frame");
  let where = $state.raw<Where>({ leave_out: null, about: false });
  let busy = $state("");
  let footage = $state.raw<FootageOut | null>(null);
  const shot = $derived(desk.shot);
  const number = $derived(shot.doc.first_number);
  const join = $derived(joinOf(plane));
  const own = $derived(ownFrame(plane));
  const chosen = $derived(String(plane.params.footage ?? ""));
  const count = $derived(shot.doc.footage.find((one) => one.id === chosen)?.frames ?? 1);
  const wheres = $derived<{ says: string; is: Where }[]>([
    { says: "all of the picture", is: { leave_out: null, about: false } },
    ...[false, true].flatMap((about) =>
      shot.doc.mattes.map((m) => ({
        says: about ? `about ${m.name} alone` : `without ${m.name}`,
        is: { leave_out: m.id, about },
      })),
    ),
  ]);
  const film = $derived(footage?.film ?? null);
  const seen = $derived([...desk.checks.found.values()].filter((c) => c.problems.length).length);

  const left = $derived(plane.line_up?.error ?? null);
  const placed = $derived(
    !plane.line_up
      ? "not lined up"
      : left === null
        ? "lined up"
        : `${left.toFixed(2)} px are left${left > 1 && !where.about ? ": try about a matte" : ""}`,
  );
  const visible = $derived(seen ? `the join is seen on ${seen} frames` : "the join is not seen");

  $effect(() => {
    const wanted = chosen;
    let late = false;
    api.project(shot.about.project).then(
      (project) => {
        if (!late) footage = project.footage.find((one) => String(one.id) === wanted) ?? null;
      },
      () => {}, // without its film the take is stepped by numbers
    );
    return () => (late = true);
  });

  let gesture = "";
  let still = 0;

  /** Steps of one turn of the wheel are one step of the history. */
  function turn(event: WheelEvent) {
    event.preventDefault();
    clearTimeout(still);
    gesture ||= newGesture();
    still = window.setTimeout(() => (gesture = ""), 500);
    step(own + Math.sign(event.deltaY || event.deltaX), gesture);
  }

  function step(frame: number, one: string | null = null) {
    const to = Math.max(0, Math.min(count - 1, frame));
    if (to !== own) stepTo(desk, plane, to, one);
  }

  async function run(says: string, deed: () => Promise<void>) {
    busy = says;
    try {
      await deed();
    } catch (error) {
      notes.fault(error);
    } finally {
      busy = "";
    }
  }

  const named = <T extends string>(all: [T, string, string?][]) =>
    all.map(([value, label, hint]) => ({ value, label, hint }));
</script>

{#snippet strip()}
  <div
    class="flex min-h-14 items-center gap-1 py-1"
    role="group"
    aria-label="The take’s frame at the join"
    onwheel={turn}
  >
    <Button kind="bare" aria-label="The take a frame earlier" onclick={() => step(own - 1)}
      >‹</Button
    >
    <div class="flex min-w-0 flex-1 gap-px overflow-hidden bg-film p-px">
      {#each PLACES as n (n)}
        {@const frame = own + n}
        <button
          type="button"
          class={[
            "relative h-9 min-w-0 flex-1 bg-film bg-cover",
            n === 0 && "inset-ring-2 inset-ring-red",
          ]}
          aria-label={`Frame ${frame} of the take at the join`}
          disabled={frame < 0 || frame >= count}
          style:background-image={film && frame >= 0 && frame < count ? `url(${film.url})` : "none"}
          style:background-size={film ? `${film.count * 100}% 100%` : undefined}
          style:background-position={film
            ? `${(100 * Math.min(film.count - 1, Math.floor(Math.max(0, frame) / film.step))) / Math.max(1, film.count - 1)}% 0`
            : undefined}
          onclick={() => step(frame)}
        ></button>
      {/each}
    </div>
    <Button kind="bare" aria-label="The take a frame later" onclick={() => step(own + 1)}>›</Button>
  </div>
  <p class="flex items-center gap-2 text-xs">
    <span class="text-quiet"
      >at <span class="font-mono text-ink">{number + join}</span> its frame
      <output class="font-mono text-ink" aria-label="The take’s own frame">{own}</output> of {count}</span
    >
    <span class="ml-auto flex gap-1">
      <Button
        aria-pressed={desk.playback.swings && desk.playback.playing}
        title="Plays the frames about the join there and back"
        onclick={() =>
          desk.playback.swings && desk.playback.playing
            ? desk.playback.stop()
            : desk.playback.swing(join - AROUND, join + AROUND)}>There and back</Button
      >
      <Button
        aria-pressed={desk.view.takesApart}
        title="What the take differs in from what lies behind it: grey where they are alike"
        onclick={() => desk.view.turnTakesApart()}>Difference</Button
      >
    </span>
  </p>
{/snippet}

{#snippet row(label: string, body: Snippet)}
  <div class="grid min-h-6 break-inside-avoid grid-cols-[64px_minmax(0,1fr)] items-center gap-1">
    <span class="text-xs text-quiet">{label}</span>
    <div class="flex min-w-0 items-center gap-1">{@render body()}</div>
  </div>
{/snippet}
{#snippet kinds()}<Select
    name="What the camera did"
    class="min-w-0 flex-1"
    value={kind}
    options={named(KINDS)}
    onpick={(v) => (kind = v as Kind)}
  />{/snippet}
{#snippet overs()}<Segments
    name="Looked at on"
    value={over}
    options={named(OVER)}
    onpick={(v) => (over = v as Over)}
  />{/snippet}
{#snippet places()}<Select
    name="Looked at where"
    class="min-w-0 flex-1"
    value={String(
      wheres.findIndex(({ is }) => is.leave_out === where.leave_out && is.about === where.about),
    )}
    options={wheres.map(({ says }, n) => ({ value: String(n), label: says }))}
    onpick={(n) => (where = wheres[Number(n)].is)}
  />{/snippet}
{#snippet lines()}
  <Button
    disabled={!!busy}
    title="Lays the take where its still things lie on the plate’s"
    onclick={() => run("Lining up …", () => lineUp(desk, plane, kind, over, where))}>Line up</Button
  >
  <Button
    disabled={!!busy}
    title="Brings its light, sharpness and grain to the plate’s"
    onclick={() => run("Measuring …", () => matchTone(desk, plane, over, where))}>Match tone</Button
  >
  {#if plane.line_up && !busy}<Button
      kind="bare"
      aria-label="Remove the line-up"
      onclick={() =>
        shot.edit(
          [{ op: "replace", path: `${shot.planePath(plane.id)}/line_up`, value: null }],
          "remove the line-up",
        )}>✕</Button
    >{/if}
{/snippet}
{#snippet state()}
  <span class="truncate text-xs text-quiet" role="status" aria-label="Line-up"
    >{busy || [placed, plane.gate ? visible : ""].filter(Boolean).join(" · ")}</span
  >
{/snippet}
{#snippet edges()}
  <Button
    disabled={!!busy}
    title="The cheapest line around what the take alone shows, along which both agree"
    onclick={() => run("Looking …", () => through(desk, plane, "seam"))}>Find the seam</Button
  >
  <Button
    disabled={!!busy}
    title="A soft ellipse about it, to be dragged, and to ride on a track"
    onclick={() => run("Looking …", () => through(desk, plane, "shape"))}>Soft shape</Button
  >
{/snippet}
{#snippet firsts()}
  <Button
    title="From this frame on the take is seen"
    disabled={desk.playback.frame === join}
    onclick={() => joinAt(desk, plane, desk.playback.frame)}>Join here</Button
  >
  <Button
    aria-pressed={isFrozen(desk, plane)}
    title="The plate stands still from the join on"
    onclick={() => freeze(desk, plane)}>Freeze the plate</Button
  >
{/snippet}
{#snippet sounds()}<Segments
    name="Heard"
    value={heardNow(desk, plane)}
    options={named(HEARD)}
    onpick={(v) => hear(desk, plane, v as Heard)}
  />{/snippet}

<Card title="Join" note="of the two takes" above={strip}>
  {@render row("Camera", kinds)}
  {@render row("On", overs)}
  {@render row("Where", places)}
  {@render row("", lines)}
  {@render row("", state)}
  {@render row("Edge", edges)}
  {@render row("Join", firsts)}
  {#if footage?.sound || shot.about.plate.sound}{@render row("Heard", sounds)}{/if}
</Card>
