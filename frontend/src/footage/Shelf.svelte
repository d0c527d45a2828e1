<script lang="ts">
  import { api } from "../lib/api";
  import type { FootageOut } from "../lib/api-types";
  import { bytes } from "../lib/format";
  import { notes } from "../lib/notes.svelte";
  import { newMatte } from "../stand/mattes";
  import { choicesOf } from "../lib/things";
  import Menu from "../ui/Menu.svelte";
  import type { ProjectStore } from "./uploads.svelte";

  /** The footage of a project: a place to drop files on, and what is there. */
  let { store }: { store: ProjectStore } = $props();
  let over = $state(false);
  let input = $state<HTMLInputElement>();
  const shown = $derived(store.project?.footage ?? []);

  function drop(event: DragEvent) {
    event.preventDefault();
    over = false;
    void store.send([...(event.dataTransfer?.files ?? [])]);
  }

  async function start(footage: FootageOut) {
    try {
      const number = String((store.project?.shots.length ?? 0) + 1).padStart(2, "0");
      const name = `Shot ${number} · ${footage.name.replace(/\.[^.]+$/, "")}`.slice(0, 120);
      const shot = await api.newShot(store.id, name, footage.id);
      const first = [{ op: "add", path: "/mattes/-", value: newMatte("Subject", "subject") }];
      await api.edit(shot.id, shot.revision, first, "add matte", null);
      location.hash = `#/shot/${shot.id}`;
    } catch (error) {
      notes.fault(error);
    }
  }

  function about(f: FootageOut): string {
    if (f.state === "refused") return f.message;
    if (f.state === "working") {
      const job = store.job(f);
      return job?.total
        ? `being brought in: ${job.done} of ${job.total} frames`
        : "being brought in …";
    }
    const fps = Math.round(f.fps * 100) / 100;
    return `${f.width} × ${f.height} · ${f.frames} frames · ${fps} fps${f.variable ? " (variable)" : ""} · ${f.codec} · ${bytes(f.size)}`;
  }
</script>

<div
  class="shelf"
  class:over
  role="group"
  aria-label="Footage"
  ondragover={(e) => (e.preventDefault(), (over = true))}
  ondragleave={() => (over = false)}
  ondrop={drop}
>
  <div class="drop">
    <strong>Drop footage here</strong>
    <span>MP4, MOV, MKV or WebM, or the PNG pictures of a sequence, or</span>
    <button class="btn" onclick={() => input!.click()}>choose files …</button>
    <input
      bind:this={input}
      class="hidden"
      type="file"
      multiple
      aria-label="Footage files"
      accept=".mp4,.m4v,.mov,.mkv,.webm,.png,.zip"
      onchange={(e) => {
        void store.send([...(e.currentTarget.files ?? [])]);
        e.currentTarget.value = "";
      }}
    />
  </div>
  <ul>
    {#each store.uploads as one (one.name)}
      <li>
        <span class="strip"></span>
        <span class="text"
          ><strong>{one.name}</strong><small>arriving: {Math.round(one.share * 100)} %</small></span
        >
        <progress value={one.share} aria-label={`Upload of ${one.name}`}></progress>
        <button class="btn" onclick={one.stop}>Stop</button>
      </li>
    {/each}
    {#each shown as f (f.id)}
      {@const job = store.job(f)}
      <li class:refused={f.state === "refused"}>
        <span
          class="strip"
          style:background-image={f.film ? `url(${f.film.url})` : "none"}
          style:background-size="auto 100%"
        ></span>
        <span class="text"><strong>{f.name}</strong><small>{about(f)}</small></span>
        {#if f.state === "working"}<progress
            value={job?.total ? job.done / job.total : 0}
            aria-label={`Bringing in ${f.name}`}
          ></progress>{/if}
        {#if f.state === "ready"}<button class="btn" onclick={() => start(f)}>New shot on it</button
          >{/if}
        {#if f.state !== "working"}<Menu
            name={`More for ${f.name}`}
            choices={choicesOf({ things: "footage", id: f.id, name: f.name }, () => store.load())}
          />{/if}
      </li>
    {/each}
  </ul>
</div>

<style>
  .shelf {
    border: 1.5px dashed var(--rule);
    border-radius: 7px;
    padding: 10px 12px;
  }
  .over {
    border-color: var(--blue);
    background: color-mix(in srgb, var(--blue) 10%, transparent);
  }
  .drop {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 8px;
    color: var(--quiet);
  }
  .drop strong {
    color: var(--ink);
  }
  .hidden {
    position: absolute;
    width: 1px;
    height: 1px;
    opacity: 0;
    pointer-events: none;
  }
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  li {
    display: flex;
    align-items: center;
    gap: 10px;
    padding-top: 8px;
  }
  .strip {
    flex: none;
    width: 190px;
    height: 36px;
    background: #26241f left / auto 100% repeat-x;
    border-block: 3px dotted #26241f;
  }
  .text {
    flex: 1;
    min-width: 0;
    display: grid;
  }
  .text strong {
    font-weight: 500;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  small {
    color: var(--quiet);
  }
  .refused small {
    color: var(--redtext);
  }
  progress {
    width: 110px;
    height: 8px;
    accent-color: var(--blue);
  }
</style>
