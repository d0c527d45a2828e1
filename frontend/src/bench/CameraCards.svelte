<!-- A camera on the bench: solving it, the space that it found, and what stands in it. -->
<script lang="ts">
  import { api } from "../lib/api";
  import type { Track } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { addCard } from "../desk/cards";
  import { followTracks } from "../desk/deeds";
  import { removeTrack } from "../desk/rides";
  import { notes } from "../lib/notes.svelte";
  import { axesOf, eyeOf, groundBy, minus, SPACE, toldOf, viewOn, type Space, type Xyz } from "../lib/scene"; // prettier-ignore
  import Button from "../ui/Button.svelte";
  import Card from "./Card.svelte";
  import Fields from "./Fields.svelte";
  import SpaceView from "./SpaceView.svelte";
  import { folding, openCards, opening, widthOf, type Slip } from "./slips";
  import Slot from "./Slot.svelte";

  type Props = { desk: Desk; track: Track; room: { width: number; height: number } };
  let { desk, track, room }: Props = $props();
  const FILM = 36; // millimetres that a picture is wide, for which focal lengths are told
  const shot = $derived(desk.shot);
  const declared = $derived(shot.entry("track", "camera"));
  const path = $derived(shot.trackPath(track.id));
  const scene = $derived(desk.motions.scenes.get(track.id));
  const frame = $derived(desk.playback.seen);
  const view = $derived(viewOn(scene, frame));
  const busy = $derived(shot.following);
  const reached = $derived(desk.reached(track.id));
  const doubtful = $derived(desk.doubts(track.id));
  const solved = $derived(!!scene?.solved);
  const error = $derived(scene?.errors[frame]);
  const axes = $derived(axesOf(track.space));
  const chosen = $derived(desk.scenePicks.filter((n) => n < (scene?.points.length ?? 0)));
  const places = $derived(chosen.map((n) => scene!.points[n] as Xyz));
  const unitName = $derived(axes.space.unit || "units");
  const stands = $derived(shot.doc.planes.filter((plane) => plane.card?.track === track.id));
  const riders = $derived(shot.uses.filter((use) => use.thing === `track:${track.id}`));
  const apart = $derived(
    places.length === 2 ? Math.hypot(...minus(places[0], places[1])) * axes.space.size : 0,
  );
  let told = $state("");

  const slips = $derived<Slip[]>([
    { id: "track", title: declared.label, rows: declared.fields.length + 3.5 },
    { id: "space", title: "Space", rows: 8.5, columns: 2.2 },
    { id: "stands", title: "Stands in it", rows: Math.max(4, stands.length + riders.length + 2) },
  ]);
  const key = $derived(`track:${track.id}`);
  const opened = $derived(
    desk.opened.get(key) ?? (solved ? ["track", "space"] : ["space", "track"]),
  );
  const open = $derived(openCards(slips, opened, room));
  const front = $derived([...opened].reverse().find((id) => open.has(id)) ?? "track");

  $effect(() => desk.growBench(slips, front, room.width, false));

  const shown = (value: number) => (Math.abs(value) >= 100 ? value.toFixed(0) : value.toFixed(2));

  function lay(space: Space, label: string) {
    shot.edit([{ op: "replace", path: `${path}/space`, value: space }], label);
  }

  function ground() {
    if (view) lay(groundBy(places, eyeOf(view), axes.space), "lay the ground");
  }

  function tellSize() {
    const [number, ...rest] = told.trim().replace(",", ".").split(/\s+/);
    const size = Number(number);
    if (!(size > 0))
      return notes.add("How far they are apart is a number above 0.", "As in “1.2 m”.");
    const unit = (rest.join(" ") || axes.space.unit).slice(0, 20);
    lay({ ...axes.space, size: (axes.space.size * size) / apart, unit }, "tell a size");
    told = "";
  }

  async function read(event: Event) {
    const input = event.currentTarget as HTMLInputElement;
    const file = input.files?.[0];
    if (!file) return;
    try {
      await shot.settled();
      desk.motions.scenes.set(track.id, await api.giveScene(shot.id, track.id, await file.text()));
      desk.motions.again();
    } catch (fault) {
      notes.fault(fault);
    }
    input.value = "";
  }

  function named(owner: string): string {
    const id = owner.slice(owner.indexOf(":") + 1);
    return (owner.startsWith("matte") ? shot.matte(id)?.name : shot.plane(id)?.name) ?? id;
  }
</script>

{#each slips as slip (slip.id)}
  <Slot
    {slip}
    open={open.has(slip.id)}
    chosen={front === slip.id}
    width={Math.min(widthOf(slip, room.height), Math.max(240, room.width - 60))}
    onopen={() => desk.opened.set(key, opening(opened, slip.id))}
    onfold={() => desk.opened.set(key, folding(opened, slip.id))}
  >
    {#if slip.id === "track"}
      <Card title={declared.label} note="by all that stands still">
        <Fields
          {desk}
          fields={declared.fields}
          values={track.params}
          path={`${path}/params`}
          about={track.name}
        />
        <div class="mt-1 flex break-inside-avoid flex-wrap gap-1">
          {#if busy}
            <Button onclick={() => api.stop(busy.id).catch((e) => notes.fault(e))}
              >Stop solving</Button
            >
          {:else}
            <Button
              title="Over the whole range; what is solved stays until there is a new one"
              onclick={() => followTracks(desk, [track.id], 0)}
              >{solved ? "Solve anew" : "Solve"}</Button
            >
          {/if}
          {#if solved}
            <Button
              title="A fill, stood where the picture is pressed; any plane’s placement can be"
              onclick={() => addCard(desk)}>Stand a card …</Button
            >
          {/if}
          <Button kind="bare" onclick={() => removeTrack(desk, track)}>Remove</Button>
        </div>
        <p class="my-1 break-inside-avoid text-xs text-quiet" data-solved={solved}>
          {#if solved && view}
            {shown((view.focal / shot.about.plate.width) * FILM)} mm;
            {error === null || error === undefined
              ? "not solved here"
              : `${error.toFixed(2)} px off here`},
            {scene!.error.toFixed(2)} on the whole; {scene!.points.length} points.
            {#if doubtful}<b class="font-semibold text-redtext">{doubtful} in doubt.</b>{/if}
          {:else}
            Not solved yet; features of {reached[0]} of {reached[1]} frames.
          {/if}
        </p>
        {#if scene?.says}<p class="my-1 break-inside-avoid text-xs">{scene.says}</p>{/if}
      </Card>
    {:else if slip.id === "space"}
      <Card title="Space" note={solved ? "" : "once it is solved"} free>
        {#if solved && scene}
          <div class="flex items-start gap-3">
            <SpaceView {desk} {track} {scene} {axes} picks={chosen} />
            <div class="flex w-[230px] flex-col gap-1 text-xs">
              <p class="text-quiet">
                {#if !chosen.length}
                  Press points in the picture, or drag a box about some, to lay the space out by
                  them.
                {:else}
                  {chosen.length} chosen{#if places.length === 1}, at {toldOf(axes, places[0])
                      .map(shown)
                      .join(", ")}{:else if apart}, {shown(apart)}
                    {unitName} apart{/if}.
                {/if}
              </p>
              <div class="flex flex-wrap gap-1">
                <Button
                  disabled={places.length < 3}
                  title="The ground runs through the chosen points: three at the least"
                  onclick={ground}>Ground</Button
                >
                <Button
                  disabled={places.length !== 1}
                  title="Places are counted from the chosen point"
                  onclick={() => lay({ ...axes.space, origin: places[0] }, "set the origin")}
                  >Origin</Button
                >
                <Button
                  disabled={places.length !== 2}
                  title="From the first chosen point to the second is straight up"
                  onclick={() =>
                    lay({ ...axes.space, up: minus(places[1], places[0]) }, "set what is up")}
                  >Up</Button
                >
                {#if track.space}<Button
                    kind="bare"
                    title="As it was solved"
                    onclick={() => lay(SPACE, "forget the layout")}>As solved</Button
                  >{/if}
                {#if chosen.length}<Button kind="bare" onclick={() => (desk.scenePicks = [])}
                    >None</Button
                  >{/if}
              </div>
              <form
                class="flex items-center gap-1"
                onsubmit={(e) => (e.preventDefault(), tellSize())}
              >
                <input
                  class="min-h-6 w-20 rounded border border-rule bg-card px-1 font-mono text-xs"
                  aria-label="How far the two chosen points are apart"
                  placeholder="1.2 m"
                  disabled={places.length !== 2}
                  bind:value={told}
                />
                <Button disabled={places.length !== 2} onclick={tellSize}>is their distance</Button>
              </form>
              <div class="flex flex-wrap gap-1">
                <a
                  class="btn-bare underline decoration-dotted"
                  href={api.sceneFile(shot.id, track.id, "gltf")}
                  download>Scene as glTF</a
                >
                <a
                  class="btn-bare underline decoration-dotted"
                  href={api.sceneFile(shot.id, track.id, "ply")}
                  download>Points as PLY</a
                >
              </div>
            </div>
          </div>
        {:else}
          <p class="my-1 max-w-96 text-xs text-quiet">
            Solve the camera first: the ground, the points and a view from above are shown here
            then. A camera that was solved elsewhere can be read from a glTF file.
          </p>
        {/if}
        <label class="btn-bare mt-1 inline-block text-xs underline decoration-dotted"
          >Read a glTF file …<input
            type="file"
            accept=".gltf,model/gltf+json"
            class="sr-only"
            onchange={read}
          /></label
        >
      </Card>
    {:else}
      <Card title="Stands in it" note="">
        {#each stands as plane (plane.id)}
          <button
            type="button"
            class="block min-h-6 w-full truncate text-left text-xs underline decoration-dotted"
            onclick={() => (desk.selection.thing = { kind: "plane", id: plane.id })}
            >{plane.name}</button
          >
        {/each}
        {#each riders.filter((use) => !stands.some((one) => use.owner === `plane:${one.id}`)) as use, n (n)}
          <button
            type="button"
            class="block min-h-6 w-full truncate text-left text-xs underline decoration-dotted"
            onclick={() => {
              const [kind, id] = use.owner.split(":");
              desk.selection.thing = { kind: kind as "matte" | "plane", id };
            }}>{named(use.owner)} rides</button
          >
        {/each}
        {#if solved}
          <Button onclick={() => addCard(desk)}>Stand a card …</Button>
        {/if}
        {#if !stands.length && !riders.length}
          <p class="my-1 text-xs text-quiet">
            Nothing yet. A plane’s placement has “Stand in the scene …”; what has a place can ride
            on one of the scene.
          </p>
        {/if}
      </Card>
    {/if}
  </Slot>
{/each}
