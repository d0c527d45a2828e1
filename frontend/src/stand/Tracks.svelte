<!-- The shot's tracks: each with its way, how far it is followed, and what is in doubt. -->
<script lang="ts">
  import { DropdownMenu } from "bits-ui";
  import type { SceneOut, Track } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { followTracks } from "../desk/deeds";
  import Icon from "../lib/Icon.svelte";
  import { eyeOf, viewOn, type Xyz } from "../lib/scene";
  import { middleOf, placeOn, type TrackKind } from "../lib/tracks";
  import Button from "../ui/Button.svelte";
  import Heading from "./Heading.svelte";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  const KINDS: TrackKind[] = ["point", "region", "patch", "camera"];

  /** The way of its middle over the whole plate, for a picture as wide as the plate is. */
  function way(track: Track): string {
    if (track.kind === "camera") return wayOfEye(desk.motions.scenes.get(track.id));
    const path = desk.motions.paths.get(track.id);
    const step = Math.max(1, Math.floor(shot.count / 60));
    const out: string[] = [];
    for (let frame = 0; frame < shot.count; frame += step) {
      if (!shot.frames.get(track.id)?.has(frame) && frame !== track.frame) continue;
      const [x, y] = middleOf(placeOn(track, path, frame));
      out.push(`${x.toFixed(1)} ${y.toFixed(1)}`);
    }
    return out.length ? `M${out.join("L")}` : "";
  }

  /** The way of a camera as it is seen from above, over the whole of the little picture. */
  function wayOfEye(scene: SceneOut | undefined): string {
    const eyes = (scene?.views ?? []).flatMap((row, n) => {
      const view = row && n % Math.max(1, Math.floor(shot.count / 60)) === 0 && viewOn(scene, n);
      return view ? [eyeOf(view)] : [];
    });
    if (eyes.length < 2) return "";
    const { width, height } = shot.about.plate;
    const [xs, zs] = [eyes.map((e) => e[0]), eyes.map((e) => e[2])];
    const span = Math.max(
      Math.max(...xs) - Math.min(...xs),
      Math.max(...zs) - Math.min(...zs),
      1e-6,
    );
    const [x0, z0] = [(Math.max(...xs) + Math.min(...xs)) / 2, (Math.max(...zs) + Math.min(...zs)) / 2]; // prettier-ignore
    const at = ([x, , z]: Xyz) =>
      `${(width / 2 + ((x - x0) / span) * width * 0.8).toFixed(1)} ${(height / 2 - ((z - z0) / span) * height * 0.8).toFixed(1)}`;
    return `M${eyes.map(at).join("L")}`;
  }

  function begin(kind: TrackKind) {
    desk.playback.stop();
    if (desk.view.mode === "unroll") desk.view.mode = "result";
    if (kind === "camera") {
      // the subject is left out: the matte that is worked on, or the first there is
      const matte = desk.selection.matteId ?? shot.doc.mattes[0]?.id ?? null;
      return desk.tools.addCamera(desk.playback.frame, matte);
    }
    desk.tools.tool = kind;
  }

  function pick(track: Track) {
    desk.selection.thing = { kind: "track", id: track.id };
    if (desk.tools.tool !== "spare" && desk.tools.tool !== "take") desk.tools.tool = "arrow";
  }
</script>

<section
  class="flex max-h-[178px] flex-col border-t border-rule bg-stand pb-1.5"
  aria-label="Tracks"
>
  <Heading name="Tracks" note={shot.doc.tracks.length}>
    {#if shot.doc.tracks.length > 1}
      <Button
        kind="bare"
        disabled={!!shot.following}
        title="Follow all tracks, side by side"
        onclick={() =>
          followTracks(
            desk,
            shot.doc.tracks.map((one) => one.id),
            0,
          )}>Follow all</Button
      >
    {/if}
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        class="btn-bare inline-flex items-center gap-1 text-xs"
        aria-label="Add a track"><Icon name="plus" size={13} /> Track</DropdownMenu.Trigger
      >
      <DropdownMenu.Portal>
        <DropdownMenu.Content class="menu" align="end">
          {#each KINDS as kind (kind)}
            {@const entry = shot.entry("track", kind)}
            <DropdownMenu.Item class="menu-item" onSelect={() => begin(kind)}
              >{entry.label}<small>{entry.hint}</small></DropdownMenu.Item
            >
          {/each}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  </Heading>
  <ul class="overflow-y-auto">
    {#each shot.doc.tracks as track (track.id)}
      {@const selected = desk.selection.is("track", track.id)}
      {@const doubts = desk.doubts(track.id)}
      <li
        data-used={desk.selection.uses.has(track.id) || undefined}
        class={[
          selected
            ? "bg-card inset-ring-[1.5px] inset-ring-ink"
            : desk.selection.uses.has(track.id) && "inset-shadow-[4px_0_0_-1px] inset-shadow-ink",
        ]}
      >
        <button
          class="flex w-full min-w-0 items-center gap-2.5 py-1 pr-2.5 pl-3.5 text-left"
          data-pick
          aria-pressed={selected}
          onclick={() => pick(track)}
        >
          <svg
            class="h-[22px] w-10 flex-none border border-rule bg-sheet"
            viewBox={`0 0 ${shot.about.plate.width} ${shot.about.plate.height}`}
            preserveAspectRatio="none"
            aria-hidden="true"
          >
            <path
              d={way(track)}
              fill="none"
              stroke="var(--blue)"
              stroke-width="2"
              vector-effect="non-scaling-stroke"
              stroke-linecap="round"
            />
          </svg>
          <strong class="min-w-0 flex-1 truncate font-semibold">{track.name}</strong>
          <span data-reach class="text-right text-[11.5px] whitespace-nowrap text-quiet">
            {track.kind}, {desk.reach(track.id)}{#if doubts}<b
                class="block font-semibold text-redtext">{doubts} in doubt</b
              >{/if}
          </span>
        </button>
      </li>
    {:else}
      <li class="px-3.5 pb-1 text-xs text-quiet">
        None yet. “+ Track” follows a thing; shapes, planes and treatments can ride on it.
      </li>
    {/each}
  </ul>
</section>
