<!-- What is heard of the shot: the plate's own sound, another one under it, and what is not to be understood. -->
<script lang="ts">
  import Fields from "../bench/Fields.svelte";
  import type { Desk } from "../desk/desk.svelte";
  import type { Hush } from "../lib/api-types";
  import Button from "../ui/Button.svelte";
  import NumberField from "../ui/NumberField.svelte";
  import Select from "../ui/Select.svelte";
  import SlideHead from "../ui/SlideHead.svelte";
  import Toggle from "../ui/Toggle.svelte";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  const heard = $derived(desk.playback.heard);
  const entry = $derived(shot.entry("sound", "sound"));
  const first = $derived(shot.doc.first_number);
  const plate = $derived(shot.about.plate);
  const hushes = $derived(shot.doc.sound.hushes ?? []);
  const HOWS = ["silent", "pitched"].map((how) => ({ value: how, label: how }));

  function put(n: number, hush: Hush) {
    const [from, to] = [Math.min(hush.first, hush.last), Math.max(hush.first, hush.last)];
    shot.edit(
      [{ op: "replace", path: `/sound/hushes/${n}`, value: { ...hush, first: from, last: to } }],
      "hushed frames",
    );
  }

  function add() {
    const loop = desk.playback.loop;
    const here = desk.playback.frame;
    const end = Math.min(shot.count - 1, here + Math.round(desk.playback.fps) - 1);
    const value = { first: loop?.[0] ?? here, last: loop?.[1] ?? end, how: "silent" };
    shot.edit([{ op: "add", path: "/sound/hushes/-", value }], "hush frames");
  }
</script>

<section class="room" aria-label="Sound">
  <SlideHead {desk} title="Sound" />
  <p class="mb-1.5 text-xs text-quiet">
    {#if plate.sound}
      {plate.name} was recorded with {plate.sound.codec}, {plate.sound.channels === 1
        ? "one channel"
        : `${plate.sound.channels} channels`} at {plate.sound.rate / 1000} kHz.
    {:else}
      {plate.name} has no sound. Another file’s sound can be laid under: WAV, FLAC, MP3, M4A, Ogg, or
      a video’s, brought in as footage.
    {/if}
  </p>
  <Fields {desk} fields={entry.fields} values={shot.doc.sound} path="/sound" about="Sound" />
  <div class="mt-2 flex items-center gap-2 text-xs">
    <span class="flex-1" title="Short pieces while the hand goes through time"
      >Heard while going through time</span
    >
    <Toggle
      name="Heard while going through time"
      on={heard.scrubs}
      onturn={(on) => heard.setScrubs(on)}
    />
  </div>
  <h3 class="mt-3.5 mb-1 border-t border-rule pt-3 text-[13.5px] font-semibold">
    Not to be understood
  </h3>
  <p class="mb-1.5 text-xs text-quiet">
    Silent is gone for good. Pitched is lower by five half tones at the same pace; who knows how it
    was made can undo it.
  </p>
  <ul class="grid gap-1">
    {#each hushes as hush, n (n)}
      <li class="flex items-center gap-1 text-xs">
        <NumberField
          class="w-14"
          name={`From, of stretch ${n + 1}`}
          value={first + hush.first}
          low={first}
          high={first + shot.count - 1}
          onset={(value) => put(n, { ...hush, first: value - first })}
        />
        to
        <NumberField
          class="w-14"
          name={`To, of stretch ${n + 1}`}
          value={first + hush.last}
          low={first}
          high={first + shot.count - 1}
          onset={(value) => put(n, { ...hush, last: value - first })}
        />
        <Select
          class="flex-1"
          name={`How stretch ${n + 1} is hushed`}
          value={hush.how ?? "silent"}
          options={HOWS}
          onpick={(how) => put(n, { ...hush, how: how as Hush["how"] })}
        />
        <Button
          kind="bare"
          aria-label={`Take stretch ${n + 1} away`}
          onclick={() =>
            shot.edit([{ op: "remove", path: `/sound/hushes/${n}` }], "hear these frames again")}
          >✕</Button
        >
      </li>
    {/each}
  </ul>
  <Button class="mt-1.5" onclick={add}
    >{desk.playback.loop ? "Hush the loop" : "Hush a second from here"}</Button
  >
</section>
