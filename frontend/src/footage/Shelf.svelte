<script lang="ts">
  import { api } from "../lib/api";
  import type { FootageOut, JobOut } from "../lib/api-types";
  import { bytes } from "../lib/format";
  import { notes } from "../lib/notes.svelte";
  import { newMatte } from "../stand/mattes";
  import { choicesOf } from "../lib/things";
  import Button from "../ui/Button.svelte";
  import Progress from "../ui/Progress.svelte";
  import Menu from "../ui/Menu.svelte";
  import ReadAs from "./ReadAs.svelte";
  import type { ProjectStore } from "./uploads.svelte";

  /** The footage of a project, and how more of it comes in: files are dropped anywhere on its page or on the desk. */
  type Props = {
    store: ProjectStore;
    /** Lets a piece come under the shot that is open. */
    onunder?: (footage: FootageOut) => void;
    /** Lays footage over the shot as another take of its set-up, if a shot is open. */
    ontake?: (footage: FootageOut) => void;
    /** The shot's plate, which is under it already. */
    plate?: string;
    /** Whether it lies in a side room: what stands beside another elsewhere stands below it. */
    narrow?: boolean;
  };
  let { store, onunder, ontake, plate, narrow = false }: Props = $props();
  const STRIP = $derived([
    "h-9 flex-none border-y-3 border-dotted border-film bg-film bg-[auto_100%] bg-left bg-repeat-x",
    narrow ? "w-full" : "w-[190px]",
  ]);
  const ROW = $derived([
    "flex items-center pt-2",
    narrow ? "flex-wrap gap-x-1.5 gap-y-1 border-b border-faint pb-2" : "gap-2.5",
  ]);
  const SAYS = $derived(["grid min-w-0", narrow ? "basis-full" : "flex-1"]);
  const BAR = "w-[110px] flex-none";
  let reading = $state.raw<FootageOut | null>(null);
  let input = $state<HTMLInputElement>();
  const shown = $derived(store.project?.footage ?? []);

  /** Another file in place of one that was refused, which goes. */
  async function replaced(refused: FootageOut, files: File[]) {
    if (await store.send(files)) {
      await api.putAway("footage", refused.id).catch(notes.fault);
      await store.load();
    }
  }

  async function remove(refused: FootageOut) {
    await api.putAway("footage", refused.id).catch(notes.fault);
    await store.load();
  }

  async function start(footage: FootageOut) {
    try {
      const number = String((store.project?.shots.length ?? 0) + 1).padStart(2, "0");
      const name = `Shot ${number} · ${footage.name.replace(/\.[^.]+$/, "")}`.slice(0, 120);
      const shot = await api.newShot(store.id, name, footage.id);
      const first = [{ op: "add", path: "/mattes/-", value: newMatte("Subject", "subject") }];
      await api.edit(shot.id, shot.revision, first, "add matte", null, null);
      location.hash = `#/shot/${shot.id}`;
    } catch (error) {
      notes.fault(error);
    }
  }

  async function again(job: JobOut) {
    try {
      await api.again(job.id);
      await store.load();
    } catch (error) {
      notes.fault(error);
    }
  }

  function about(f: FootageOut): string {
    if (f.state === "refused" || f.state === "stopped") return f.message;
    if (f.state === "working") {
      const job = store.job(f);
      if (!job?.total) return "being brought in …";
      // it is looked at from its first frame to its last before anything is made of it
      return job.done
        ? `being brought in: ${job.done} of ${job.total} frames`
        : `being looked at: ${job.total} frames so far`;
    }
    const sound = f.sound
      ? `${f.sound.codec}, ${f.sound.channels === 1 ? "mono" : `${f.sound.channels} channels`}`
      : "no sound";
    if (f.kind === "table") return `colour table, ${f.codec} · ${bytes(f.size)}`;
    if (!f.frames)
      return `sound, ${Math.round(f.sound?.seconds ?? 0)} s · ${sound} · ${bytes(f.size)}`;
    const fps = Math.round(f.fps * 100) / 100;
    const deep = f.floats ? (f.depth === 32 ? "float" : "half") : `${f.depth} bit`;
    return [
      `${f.width} × ${f.height}`,
      `${f.frames} frames`,
      `${fps} fps${f.variable ? " (variable)" : ""}`,
      `${f.codec}, ${deep}${f.alpha ? ", alpha" : ""}`,
      ...(f.codec && f.sound ? [sound] : []),
      ...(f.hand?.colour ? [f.hand.colour] : []),
      ...(f.timecode ? [`${f.timecode}${f.reel ? `, ${f.reel}` : ""}`] : []),
      bytes(f.size),
    ].join(" · ");
  }
</script>

<div
  class="rounded-[7px] border-[1.5px] border-dashed border-rule px-3 py-2.5"
  role="group"
  aria-label="Footage"
>
  <div class="flex flex-wrap items-center gap-2 text-quiet">
    <strong class="text-ink">Drop footage here</strong>
    <span class={narrow ? "text-xs" : ""}
      >video, sound, pictures of a sequence, a folder of them, a colour table, or</span
    >
    <Button onclick={() => input?.click()}>choose files …</Button>
    <input
      bind:this={input}
      class="pointer-events-none absolute size-px opacity-0"
      type="file"
      tabindex="-1"
      multiple
      aria-label="Footage files"
      onchange={(e) => {
        void store.send([...(e.currentTarget.files ?? [])]);
        e.currentTarget.value = "";
      }}
    />
  </div>
  <ul>
    {#each store.uploads as one (one.name)}
      <li class={ROW}>
        <span class={STRIP}></span>
        <span class={SAYS}
          ><strong class="truncate font-medium">{one.name}</strong><small class="text-quiet"
            >arriving: {Math.round(one.share * 100)} %</small
          ></span
        >
        <Progress class={BAR} share={one.share} name={`Upload of ${one.name}`} />
        <Button onclick={one.stop}>Stop</Button>
      </li>
    {/each}
    {#each shown as f (f.id)}
      {@const job = store.job(f)}
      <li class={ROW}>
        <span
          class={STRIP}
          style:background-image={f.film ? `url(${f.film.url})` : "none"}
          style:background-size="auto 100%"
        ></span>
        <span class={SAYS}
          ><strong class="truncate font-medium">{f.name}</strong><small
            class={f.state === "refused" || f.state === "stopped" ? "text-redtext" : "text-quiet"}
            >{about(f)}</small
          >{#each f.state === "ready" ? (f.said ?? []) : [] as sentence (sentence)}<small
              class="text-quiet italic">{sentence}</small
            >{/each}</span
        >
        {#if f.state === "working"}<Progress
            class={BAR}
            share={job?.total ? job.done / job.total : 0}
            name={`Bringing in ${f.name}`}
          />{/if}
        {#if f.state === "refused"}
          <label
            class="relative inline-flex min-h-6 cursor-pointer items-center rounded border border-rule bg-card px-2 text-xs hover:border-ink focus-within:border-ink"
            >Try another file …<input
              class="absolute size-px opacity-0"
              type="file"
              multiple
              aria-label={`Another file for ${f.name}`}
              onchange={(e) => void replaced(f, [...(e.currentTarget.files ?? [])])}
            /></label
          >
          <Button onclick={() => remove(f)}>Remove</Button>
        {/if}
        {#if f.state === "stopped" && job}<Button onclick={() => again(job)}>Run again</Button>{/if}
        {#if f.state === "ready" && f.frames}<Button
            onclick={() => (reading = f)}
            title="What its numbers mean: colour space or matrix, range, primaries and transfer; layer, sound, fields"
            >Read as …</Button
          >{#if onunder && String(f.id) !== plate}<Button onclick={() => onunder(f)}
              >Put under this shot …</Button
            >{/if}<Button onclick={() => start(f)}>New shot on it</Button>{/if}
        {#if f.state !== "working"}<Menu
            name={`More for ${f.name}`}
            choices={[
              ...(ontake && f.state === "ready" && f.frames
                ? [
                    {
                      label: "Lay over as a take",
                      hint: "from this frame on",
                      run: () => ontake(f),
                    },
                  ]
                : []),
              ...choicesOf({ things: "footage", id: f.id, name: f.name }, () => store.load()),
            ]}
          />{/if}
      </li>
    {/each}
  </ul>
</div>
<ReadAs footage={reading} onclose={() => (reading = null)} onset={() => store.load()} />
