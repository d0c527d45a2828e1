<!-- On which track something rides, and what it takes over of it. -->
<script lang="ts">
  import type { Riding } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { bakeRide } from "../desk/rides";
  import Button from "../ui/Button.svelte";
  import NumberField from "../ui/NumberField.svelte";
  import Select from "../ui/Select.svelte";

  type Props = {
    desk: Desk;
    riding: Riding;
    name: string;
    /** What of it rides, where that is not all. */
    part?: string;
    /** Where the ride lies in the document. */
    path: string;
    /** Whether it can hold the picture still. */
    still?: boolean;
    /** Whether it can grow with the track's doubt. */
    widens?: boolean;
    onput: (next: Partial<Riding> | null, label: string) => void;
  };
  let {
    desk,
    riding,
    name,
    part = "",
    path,
    still = false,
    widens = false,
    onput,
  }: Props = $props();
  const tracks = $derived(desk.shot.doc.tracks.map((one) => ({ value: one.id, label: one.name })));
  const HOWS: Riding["how"][] = [
    "position",
    "position and size",
    "position, size and turn",
    "perspective",
  ];
  const at = $derived(desk.shot.doc.first_number + riding.frame);
</script>

<div
  class="my-0.5 grid break-inside-avoid gap-1 border-l-2 border-blue bg-paper py-1 pr-1 pl-1.5 text-[11.5px] text-quiet"
  data-rides={riding.track}
>
  <div class="grid grid-cols-[auto_minmax(0,1fr)] items-center gap-1">
    <span title={`It is where it was drawn on frame ${at}`}>{part} rides on</span>
    <Select
      name={`${name}: rides on`}
      value={riding.track}
      options={tracks}
      onpick={(track) => onput({ track }, "rides on")}
    />
  </div>
  <Select
    name={`${name}: takes over`}
    value={riding.how}
    options={HOWS.map((how) => ({ value: how, label: how }))}
    onpick={(how) => onput({ how: how as Riding["how"] }, "ride takes over")}
  />
  <div class="flex flex-wrap items-center gap-x-2 gap-y-1">
    <label
      class="inline-flex items-center gap-1"
      title="Averaged over so many frames, ahead and back alike"
      >smooth <NumberField
        name={`${name}: smooth over frames`}
        class="w-14"
        low={0}
        high={500}
        value={riding.smooth}
        unit="fr"
        onset={(smooth) => onput({ smooth }, "smooth ride")}
      /></label
    >
    {#if widens}
      <label
        class="inline-flex items-center gap-1"
        title="Where the track is wholly in doubt it is so much larger"
        >in doubt + <NumberField
          name={`${name}: grows in doubt`}
          class="w-12"
          low={0}
          high={300}
          value={Math.round((riding.widen ?? 0) * 100)}
          unit="%"
          onset={(percent) => onput({ widen: percent / 100 }, "grows in doubt")}
        /></label
      >
    {/if}
    {#if still}
      <label
        class="inline-flex items-center gap-1"
        title="Moves the picture so that the track stays where it was"
        ><input
          type="checkbox"
          checked={riding.still}
          onchange={(e) => onput({ still: e.currentTarget.checked }, "hold still")}
        /> hold still</label
      >
    {/if}
    <Button
      kind="bare"
      title="A keyframe on every frame, and no ride"
      onclick={() => bakeRide(desk, path)}>Bake</Button
    >
    <Button kind="bare" onclick={() => onput(null, "ride no more")}>Let go</Button>
  </div>
</div>
