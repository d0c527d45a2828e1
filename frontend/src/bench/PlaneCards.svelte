<script lang="ts">
  import type { PacesOut, Plane, Riding as Ride } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { askRide, trackOfKeys } from "../desk/rides";
  import { askPlace, lieFlat, type How } from "../desk/cards";
  import Button from "../ui/Button.svelte";
  import Card from "./Card.svelte";
  import { api } from "../lib/api";
  import Fields from "./Fields.svelte";
  import Paces from "./Paces.svelte";
  import JoinCard from "./JoinCard.svelte";
  import PlaneCard from "./PlaneCard.svelte";
  import Riding from "./Riding.svelte";
  import Starters from "./Starters.svelte";
  import { anyMoves, atRest, deedsOfStep, rowsOf, stepPath, tallestOf } from "./recipes";
  import { extrasOf } from "./extras";
  import { folding, openCards, opening, widthOf, type Slip, called } from "./slips";
  import Slot from "./Slot.svelte";

  type Props = { desk: Desk; plane: Plane; room: { width: number; height: number } };
  let { desk, plane, room }: Props = $props();
  const STANDS: How[] = ["upright", "on the ground", "on the wall"];
  const shot = $derived(desk.shot);
  const kind = $derived(shot.entry("plane", plane.kind));
  type Family = "placement" | "time" | "card";
  /** What says where it is: its placement, or where it stands in the scene. */
  const where = $derived<Family>(plane.card ? "card" : "placement");
  /** What a plane of this kind has besides its own parameters. */
  const families = $derived<Family[]>(
    plane.kind === "glaze"
      ? []
      : plane.kind === "fill" && !plane.params.footage
        ? [where]
        : ["time", where],
  );

  let paces = $state.raw<PacesOut | null>(null);
  /** What the paces hang on: an edit of anything else asks nothing. */
  const film = $derived(
    families.includes("time") ? `${plane.id} ${plane.params.footage ?? shot.doc.plate}` : "",
  );
  $effect(() => {
    let late = false;
    paces = null;
    if (film)
      api.paces(shot.id, film.split(" ")[0]).then(
        (found) => (paces = late || !found.speed ? null : found),
        () => {}, // the plane may be gone, or not be there yet
      );
    return () => (late = true);
  });

  /** Of a take that shows something: where and how it meets the plate. */
  const joins = $derived(plane.kind === "take" && !!plane.params.footage);

  const paramsOf = (name: Family) => (name === "card" ? plane.card!.params : plane[name]);

  function family(name: Family): Slip {
    const entry = shot.entry(name, name);
    if (name === "card")
      return {
        id: name,
        title: entry.label,
        rows: rowsOf(entry) + 2.4,
        moves: anyMoves(plane.card!.params),
      };
    return {
      id: name,
      title: entry.label,
      rows: rowsOf(entry) + (name === "placement" ? (plane.ride ? 3.5 : 1.2) : 0),
      above: name === "time" && paces ? 1.7 : 0,
      moves: anyMoves(plane[name]) || (name === "placement" && !!plane.ride),
      rests: atRest(entry, plane[name]) && !(name === "placement" && plane.ride),
    };
  }

  /** A treatment by its own name, or with a number from the second of its kind on. */
  const titled = (label: string, n: number) => called(label, plane.treatments, n);
  const gateRows = $derived(
    plane.gate ? (plane.gate.part === "rim" ? 6 : 3) + Math.max(0, shot.doc.mattes.length - 1) : 1,
  );
  const slips = $derived<Slip[]>([
    {
      id: "plane",
      title: kind.label,
      rows:
        rowsOf(kind) +
        3 +
        gateRows +
        (kind.needs_matte ? 1 : 0) +
        (plane.kind === "element" ? 4 : 0),
      moves: anyMoves({ ...plane.params, opacity: plane.opacity }),
      off: !plane.on,
    },
    ...(joins ? [{ id: "join", title: "Join", rows: 8, columns: 1, above: 3 }] : []),
    ...families.filter((one) => one === "time").map(family),
    ...plane.treatments.map((step, n) => {
      const entry = shot.entry("treatment", step.kind);
      return {
        id: step.id,
        title: titled(entry.label, n),
        rows: rowsOf(entry),
        tallest: tallestOf(entry),
        above: entry.starters.length ? 1.7 : 0,
        moves: anyMoves(step.params),
        off: !step.on,
      };
    }),
    ...families.filter((one) => one !== "time").map(family),
  ]);
  const key = $derived(`plane:${plane.id}`);
  const opened = $derived(
    desk.opened.get(key) ?? [joins ? "join" : (plane.treatments.at(-1)?.id ?? "plane")],
  );
  const open = $derived(openCards(slips, opened, room));
  const chosen = $derived([...opened].reverse().find((id) => open.has(id)) ?? [...open][0] ?? "");
  const resting = $derived(slips.filter((one) => one.rests && !opened.includes(one.id)));

  $effect(() => desk.growBench(slips, chosen, room.width, resting.length > 0));

  function rides(path: string, value: Ride | null, label: string) {
    shot.edit([{ op: "replace", path, value }], label);
  }

  const show = (id: string) => desk.opened.set(key, opening(opened, id));
  const fold = (id: string) => desk.opened.set(key, folding(opened, id));
</script>

{#each slips.filter((one) => !resting.includes(one)) as slip (slip.id)}
  {@const at = plane.treatments.findIndex((step) => step.id === slip.id)}
  <Slot
    {slip}
    open={open.has(slip.id)}
    chosen={chosen === slip.id}
    width={Math.min(widthOf(slip, room.height), Math.max(240, room.width - 60))}
    onopen={() => show(slip.id)}
    onfold={() => fold(slip.id)}
  >
    {#if slip.id === "plane"}
      <PlaneCard {desk} {plane} declared={kind} />
    {:else if slip.id === "join"}
      <JoinCard {desk} {plane} />
    {:else if slip.id === "placement" || slip.id === "time" || slip.id === "card"}
      {@const item = shot.entry(slip.id, slip.id)}
      {@const path = `${shot.planePath(plane.id)}/${slip.id}${slip.id === "card" ? "/params" : ""}`}
      {#snippet filmed()}<Paces {desk} {plane} paces={paces!} />{/snippet}
      <Card
        title={item.label}
        note="of the plane"
        above={slip.id === "time" && paces ? filmed : undefined}
        onarrive={(way) =>
          (desk.arriving = {
            places: [path],
            title: `${plane.name}, ${item.label.toLowerCase()}`,
            way,
          })}
      >
        <Fields {desk} fields={item.fields} values={paramsOf(slip.id)} {path} about={item.label} />
        {#if slip.id === "card"}
          <div class="flex break-inside-avoid flex-wrap gap-1 py-1">
            {#each STANDS as how (how)}
              <Button
                title="Press in the picture where"
                aria-pressed={desk.tools.tool === "stand" && desk.standing === how}
                onclick={() => askPlace(desk, plane, how)}
                >{how[0].toUpperCase()}{how.slice(1)} …</Button
              >
            {/each}
            <Button kind="bare" title="Out of the scene" onclick={() => lieFlat(desk, plane)}
              >Lie flat</Button
            >
          </div>
        {/if}
        {#if slip.id === "placement"}
          {@const place = `${shot.planePath(plane.id)}/ride`}
          {#if plane.ride}
            <Riding
              {desk}
              riding={plane.ride}
              name={plane.name}
              path={place}
              still
              onput={(next, label) => rides(place, next && { ...plane.ride!, ...next }, label)}
            />
          {:else}
            <div class="flex break-inside-avoid flex-wrap gap-1 py-1">
              <Button
                title="From this frame on it goes where a track goes"
                onclick={() =>
                  askRide(desk, plane.name, (riding) => rides(place, riding, "ride on a track"))}
                >Ride …</Button
              >
              {#if plane.kind !== "group" && desk.shot.doc.tracks.some((one) => one.kind === "camera")}
                <Button
                  title="Press in the picture where it stands in the scene that the camera found"
                  onclick={() => askPlace(desk, plane, "upright")}>Stand in the scene …</Button
                >
              {/if}
              {#if anyMoves(plane.placement)}
                <Button
                  title="A track that goes as these keyframes do"
                  onclick={() => trackOfKeys(desk, shot.planePath(plane.id))}>Make a track</Button
                >
              {/if}
            </div>
          {/if}
        {/if}
      </Card>
    {:else}
      {@const step = plane.treatments[at]}
      {@const item = shot.entry("treatment", step.kind)}
      {@const path = `${stepPath(desk, plane, at)}/params`}
      {#snippet starters()}<Starters {desk} {plane} {step} declared={item} {path} />{/snippet}
      <Card
        title={titled(item.label, at)}
        note={item.group.toLowerCase()}
        on={step.on}
        above={item.starters.length ? starters : undefined}
        onarrive={(way) => (desk.arriving = { places: [path], title: titled(item.label, at), way })}
        extras={extrasOf(desk, step, path)}
        {...deedsOfStep(desk, plane, at)}
      >
        <Fields
          {desk}
          fields={item.fields}
          values={step.params}
          {path}
          about={titled(item.label, at)}
        />
      </Card>
    {/if}
  </Slot>
{/each}
{#if !plane.treatments.length && open.size < 2}
  <p class="m-3 max-w-52 flex-1 self-center text-xs text-quiet">
    No treatment yet. “+ Treatment” changes this plane’s picture.
  </p>
{/if}
{#if resting.length}
  <div class="ml-auto flex w-7 flex-none flex-col gap-1">
    {#each resting as slip (slip.id)}
      <button
        type="button"
        data-spine={slip.id}
        class="grid min-h-0 flex-auto place-items-center rounded-md border border-dashed border-rule py-1.5 text-quiet hover:border-ink hover:text-ink"
        aria-label={`Open ${slip.title}, which is at rest`}
        aria-expanded="false"
        title={`${slip.title} is at rest: it changes nothing`}
        onclick={() => show(slip.id)}
      >
        <span
          class="[writing-mode:vertical-rl] rotate-180 overflow-hidden text-xs whitespace-nowrap"
          >{slip.title.toLowerCase()}</span
        >
      </button>
    {/each}
  </div>
{/if}
