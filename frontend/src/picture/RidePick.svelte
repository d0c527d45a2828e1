<!-- All tracks over the picture, while it is asked on which of them something is to ride. -->
<script lang="ts">
  import type { Track } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import type { Point } from "../lib/shapes";
  import { api } from "../lib/api";
  import { notes } from "../lib/notes.svelte";
  import type { Xyz } from "../lib/scene";
  import { outlineOn, placeOn } from "../lib/tracks";
  import Button from "../ui/Button.svelte";

  type Props = {
    desk: Desk;
    scale: number;
    left: number;
    top: number;
    at: (event: PointerEvent | MouseEvent) => Point;
  };
  let { desk, scale, left, top, at }: Props = $props();
  /** The camera that was chosen, of which a place of the scene is to be pressed yet. */
  let camera = $state.raw<Track | null>(null);
  const asked = $derived(desk.riding!);
  const shown = $derived(
    desk.shot.doc.tracks
      .filter((track) => track.kind !== "camera")
      .map((track) => {
        const box = placeOn(track, desk.motions.paths.get(track.id), desk.playback.seen);
        return { track, line: lineOf(track, box) };
      }),
  );

  function lineOf(track: Track, box: Point[]): Point[] {
    if (track.kind === "region") return outlineOn(track, box);
    if (track.kind === "patch") return box;
    const [[x, y], r] = [box[0], Math.max(Number(track.params.radius ?? 12), 10 / scale)];
    return [
      [x - r, y - r],
      [x + r, y - r],
      [x + r, y + r],
      [x - r, y + r],
    ];
  }

  async function takePlace(event: PointerEvent) {
    event.stopPropagation();
    if (!camera) return;
    const { take } = asked;
    try {
      const found = await api.placeInScene(desk.shot.id, camera.id, desk.playback.seen, at(event));
      take(camera, { place: found.at as Xyz, facing: found.facing as Xyz });
      desk.riding = null;
    } catch (error) {
      notes.fault(error);
    }
  }

  function take(track: Track) {
    if (track.kind === "camera") {
      camera = track;
      return;
    }
    asked.take(track);
    desk.riding = null;
  }
</script>

<svg class="over-picture" aria-label="Tracks to ride on">
  <g transform={`translate(${left} ${top}) scale(${scale})`}>
    {#if camera}
      <rect
        width={desk.shot.about.plate.width}
        height={desk.shot.about.plate.height}
        class="place"
        role="presentation"
        onpointerdown={takePlace}
      />
    {/if}
    {#each camera ? [] : shown as { track, line } (track.id)}
      {@const d = `M${line.map((p) => p.join(" ")).join("L")}Z`}
      <path {d} fill="none" stroke="rgb(255 255 255 / 0.75)" stroke-width={5 / scale} />
      <path
        {d}
        class="pick"
        stroke-width={2.4 / scale}
        role="button"
        tabindex="0"
        aria-label={`Ride on ${track.name}`}
        onpointerdown={(e) => (e.stopPropagation(), take(track))}
        onkeydown={(e) => (e.key === "Enter" || e.key === " ") && take(track)}
      />
      <text
        x={line[0][0]}
        y={line[0][1] - 6 / scale}
        font-size={13 / scale}
        class="name"
        stroke-width={3.5 / scale}>{track.name}</text
      >
    {/each}
  </g>
</svg>
<div
  class="absolute bottom-3 left-1/2 flex max-w-[82%] -translate-x-1/2 cursor-default flex-wrap items-center gap-1.5 rounded-md border border-ink bg-card px-3 py-1.5 shadow-float"
  role="dialog"
  aria-label="Ride on a track"
>
  {#if camera}<span>Press the place of the scene that <strong>{asked.name}</strong> rides on.</span>
  {:else}<span>Press the track that <strong>{asked.name}</strong> rides on:</span>{/if}
  {#each camera ? [] : desk.shot.doc.tracks as track (track.id)}
    <Button onclick={() => take(track)}>{track.name}</Button>
  {/each}
  <Button kind="bare" onclick={() => (desk.riding = null)}>Cancel</Button>
</div>

<style>
  .place {
    fill: transparent;
    pointer-events: all;
    cursor: crosshair;
  }
  .pick {
    fill: rgb(63 143 196 / 0.22);
    stroke: #3f8fc4;
    stroke-linejoin: round;
    pointer-events: all;
    cursor: pointer;
  }
  .pick:hover,
  .pick:focus-visible {
    fill: rgb(63 143 196 / 0.45);
  }
  .name {
    fill: #25262a;
    stroke: rgb(255 255 255 / 0.85);
    paint-order: stroke;
    font-weight: 600;
  }
</style>
