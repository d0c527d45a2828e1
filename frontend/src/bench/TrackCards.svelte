<!-- A track on the bench: how it is followed, how it looks on two frames, and what rides on it. -->
<script lang="ts">
  import { api, type Op } from "../lib/api";
  import type { Track } from "../lib/api-types";
  import { DOUBTFUL, type Desk } from "../desk/desk.svelte";
  import { followTracks } from "../desk/deeds";
  import { removeTrack } from "../desk/rides";
  import { notes } from "../lib/notes.svelte";
  import { touched } from "../lib/tracks";
  import Button from "../ui/Button.svelte";
  import Card from "./Card.svelte";
  import Fields from "./Fields.svelte";
  import { folding, openCards, opening, widthOf, type Slip } from "./slips";
  import Slot from "./Slot.svelte";

  type Props = { desk: Desk; track: Track; room: { width: number; height: number } };
  let { desk, track, room }: Props = $props();
  const shot = $derived(desk.shot);
  const declared = $derived(shot.entry("track", track.kind));
  const path = $derived(shot.trackPath(track.id));
  const frame = $derived(desk.playback.frame);
  const numbered = $derived(shot.doc.first_number + frame);
  const busy = $derived(shot.following);
  const rows = $derived(shot.framesOf(track.id));
  const here = $derived(rows.get(frame));
  const doubtful = $derived(desk.doubts(track.id));
  const set = $derived(touched(track, frame));
  const reached = $derived(desk.reached(track.id));
  const riders = $derived(shot.uses.filter((use) => use.thing === `track:${track.id}`));
  const slips = $derived<Slip[]>([
    { id: "track", title: declared.label, rows: declared.fields.length + 4.5 },
    { id: "looks", title: "Held beside each other", rows: 7.5, columns: 2.2 },
    { id: "riders", title: "Rides on it", rows: Math.max(3, riders.length + 1) },
  ]);
  const key = $derived(`track:${track.id}`);
  const opened = $derived(desk.opened.get(key) ?? ["looks", "track"]);
  const open = $derived(openCards(slips, opened, room));
  const chosen = $derived([...opened].reverse().find((id) => open.has(id)) ?? "track");
  /** Another one is another picture of the two frames. */
  const looked = $derived(
    JSON.stringify([
      track.frame,
      track.points,
      track.touches,
      here?.blob,
      desk.motions.paths.get(track.id)?.since[frame],
    ]),
  );

  $effect(() => desk.growBench(slips, chosen, room.width, false));

  function named(owner: string): string {
    const id = owner.slice(owner.indexOf(":") + 1);
    return (owner.startsWith("matte") ? shot.matte(id)?.name : shot.plane(id)?.name) ?? id;
  }

  function change(ops: Op[], label: string) {
    shot.edit(ops, label);
  }

  const clearTouch = () =>
    change(
      [
        {
          op: "replace",
          path: `${path}/touches`,
          value: track.touches.filter((one) => one.frame !== frame),
        },
      ],
      "clear touch",
    );
</script>

{#each slips as slip (slip.id)}
  <Slot
    {slip}
    open={open.has(slip.id)}
    chosen={chosen === slip.id}
    width={Math.min(widthOf(slip, room.height), Math.max(240, room.width - 60))}
    onopen={() => desk.opened.set(key, opening(opened, slip.id))}
    onfold={() => desk.opened.set(key, folding(opened, slip.id))}
  >
    {#if slip.id === "track"}
      <Card title={declared.label} note={`marked on frame ${shot.doc.first_number + track.frame}`}>
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
              >Stop following</Button
            >
          {:else}
            <Button
              title="From each frame that a hand has set, to both ends"
              onclick={() => followTracks(desk, [track.id], 0)}>◀ Follow both ways ▶</Button
            >
            <Button
              disabled={frame <= shot.range[0]}
              title="Follow back (Shift F)"
              onclick={() => followTracks(desk, [track.id], -1)}>◀ Back</Button
            >
            <Button
              disabled={frame >= shot.range[1]}
              title="Follow on (F)"
              onclick={() => followTracks(desk, [track.id], 1)}>On ▶</Button
            >
            {#if !here && frame !== track.frame}
              <Button
                title="No further than the frame that is shown"
                onclick={() => followTracks(desk, [track.id], frame > track.frame ? 1 : -1, frame)}
                >To {numbered}</Button
              >
            {/if}
          {/if}
        </div>
        <p class="my-1 break-inside-avoid text-xs text-quiet">
          {reached[0]} of {reached[1]} frames{#if doubtful}, <b class="font-semibold text-redtext"
              >{doubtful} in doubt</b
            >{/if}.
          {#if set && frame !== track.frame}A hand put it here.
          {:else if here && here.doubt > DOUBTFUL}Here it is in doubt: drag it where it is.
          {/if}
        </p>
        <div class="flex break-inside-avoid flex-wrap gap-1">
          {#if set && frame !== track.frame}<Button onclick={clearTouch}>Clear touch</Button>{/if}
          {#if track.less.length || track.more.length}
            <Button
              onclick={() =>
                change(
                  [
                    { op: "replace", path: `${path}/less`, value: [] },
                    { op: "replace", path: `${path}/more`, value: [] },
                  ],
                  "all points count",
                )}>Forget what was left out</Button
            >
          {/if}
          <Button kind="bare" onclick={() => removeTrack(desk, track)}>Remove</Button>
        </div>
      </Card>
    {:else if slip.id === "looks"}
      <Card
        title="Held beside each other"
        note={`${shot.doc.first_number + track.frame} and ${numbered}`}
        free
      >
        {#if shot.onServer(track.id)}
          <figure class="m-0 flex items-start gap-3">
            <img
              class="block h-auto w-[320px] flex-none border border-rule"
              src={api.trackLook(shot.id, track.id, frame, looked)}
              alt={`${track.name} as it was marked, and on frame ${numbered} brought back by its motion`}
            />
            <figcaption class="w-[150px] text-[11.5px] text-quiet">
              Left as it was marked, right as it is on frame {numbered}, brought back by its motion:
              where the two are alike, it holds. Arrow keys on a handle nudge it, with Alt by a
              tenth.
            </figcaption>
          </figure>
        {/if}
      </Card>
    {:else}
      <Card title="Rides on it" note="">
        {#each riders as use, n (n)}
          <button
            type="button"
            class="block min-h-6 w-full truncate text-left text-xs underline decoration-dotted"
            onclick={() => {
              const [kind, id] = use.owner.split(":");
              desk.selection.thing = { kind: kind as "matte" | "plane", id };
            }}>{named(use.owner)}</button
          >
        {:else}
          <p class="my-1 text-xs text-quiet">
            Nothing yet. A shape, a plane’s placement or a place of a treatment can: press its “Ride
            …” and then the track in the picture.
          </p>
        {/each}
      </Card>
    {/if}
  </Slot>
{/each}
