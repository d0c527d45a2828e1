<script lang="ts">
  import { onMount } from "svelte";
  import { api } from "./lib/api";
  import type { Desk, Ground, Mode } from "./lib/desk.svelte";
  import Hint from "./lib/Hint.svelte";
  import Icon from "./lib/Icon.svelte";
  import { MODES } from "./lib/keys";
  import { turn } from "./lib/look";
  import { notes } from "./lib/notes.svelte";
  import Progress from "./ui/Progress.svelte";
  import Segments from "./ui/Segments.svelte";
  import Select from "./ui/Select.svelte";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  const grounds: [Ground, string][] = [
    ["checks", "checks"],
    ["black", "black"],
    ["white", "white"],
    ["grey", "grey"],
    ["#2f6f4f", "colour"],
  ];
  const coloured = $derived(desk.ground.startsWith("#"));
  const job = $derived(shot.following ?? shot.settling ?? shot.exporting);
  const beside = $derived([
    { value: "result:", label: "result" },
    ...(desk.split?.version
      ? [{ value: "version:", label: `version ${desk.split.version.name}` }]
      : []),
    ...shot.doc!.mattes.flatMap((one) =>
      (["veil", "matte", "cutout"] as const).map((mode) => ({
        value: `${mode}:${one.id === desk.matteId ? "" : one.id}`,
        label: `${mode === "cutout" ? "cut-out" : mode} of ${one.name}`,
      })),
    ),
  ]);
  const chosen = $derived(
    desk.split?.version ? "version:" : `${desk.split?.mode}:${desk.split?.matte ?? ""}`,
  );

  function split(value: string) {
    const [mode, id] = value.split(":");
    if (mode !== "version") desk.split = { mode: mode as Mode, matte: id || null };
  }

  let night = $state(false);
  onMount(() => {
    const look = () => (night = document.documentElement.classList.contains("night"));
    look();
    const watch = new MutationObserver(look);
    watch.observe(document.documentElement, { attributes: true });
    return () => watch.disconnect();
  });
</script>

<header>
  <a class="brand" href="#/" title="All projects">
    <img src="/mark.svg" alt="" width="16" height="16" />Cuvrel
  </a>
  <div class="where">
    <a href="#/">{shot.about!.project_name}</a> /
    <h1>{shot.doc!.name}</h1>
  </div>
  <Segments
    name="View"
    size="tall"
    class="flex-none"
    value={desk.mode}
    options={MODES.map(([value, label], i) => ({ value, label, hint: `${label}  (${i + 1})` }))}
    onpick={(mode) => (desk.mode = mode as Mode)}
  />
  {#if desk.mode === "cutout"}
    <Select
      name="Ground of the cut-out"
      value={desk.ground}
      options={grounds.map(([value, name]) => ({
        value: name === "colour" && coloured ? desk.ground : value,
        label: `over ${name}`,
      }))}
      onpick={(ground) => (desk.ground = ground)}
    />
    {#if coloured}
      <input
        type="color"
        class="ground"
        aria-label="Colour of the ground"
        value={desk.ground}
        onchange={(e) => (desk.ground = e.currentTarget.value)}
      />
    {/if}
  {/if}
  <Hint text={desk.split ? "Take the split away" : "Split the picture between two views"} keys="S">
    {#snippet child(props)}
      <button
        {...props}
        class="btn-bare"
        aria-label="Split"
        aria-pressed={!!desk.split}
        onclick={() => desk.toggleSplit()}><Icon name="split" /></button
      >
    {/snippet}
  </Hint>
  {#if desk.split}
    <Select
      name="View on the right of the split"
      value={chosen}
      options={beside}
      onpick={split}
      class="max-w-40"
    />
  {/if}
  <div class="right">
    {#if !shot.online}
      <span class="lost" role="alert">No connection; trying again …</span>
    {:else if job}
      <span class="job">
        <Progress
          class="w-16 flex-none"
          share={job.total ? job.done / job.total : 0}
          name={job.title}
        />
        <span class="say">{job.title} {job.done} of {job.total}</span>
        <button class="btn-bare" onclick={() => api.stop(job.id).catch((e) => notes.fault(e))}
          >Stop</button
        >
      </span>
    {:else}
      <span class="saved" aria-live="polite">{shot.saving ? "Saving …" : "All saved"}</span>
    {/if}
    <Hint text={shot.history.undo ? `Undo: ${shot.history.undo}` : "Nothing to undo"} keys="Ctrl Z">
      {#snippet child(props)}
        <button
          {...props}
          class="btn-bare"
          disabled={!shot.history.undo}
          onclick={() => shot.step("undo")}>Undo</button
        >
      {/snippet}
    </Hint>
    <Hint
      text={shot.history.redo ? `Redo: ${shot.history.redo}` : "Nothing to redo"}
      keys="Ctrl Shift Z"
    >
      {#snippet child(props)}
        <button
          {...props}
          class="btn-bare"
          disabled={!shot.history.redo}
          onclick={() => shot.step("redo")}>Redo</button
        >
      {/snippet}
    </Hint>
    <Hint text="Named versions of this shot" keys="V">
      {#snippet child(props)}
        <button
          {...props}
          class="btn-bare"
          aria-label="Versions"
          aria-expanded={desk.slide === "versions"}
          onclick={() => desk.toggleSlide("versions")}><Icon name="versions" /></button
        >
      {/snippet}
    </Hint>
    <Hint text="Footage of this project">
      {#snippet child(props)}
        <button
          {...props}
          class="btn-bare"
          aria-label="Footage"
          aria-expanded={desk.slide === "footage"}
          onclick={() => desk.toggleSlide("footage")}><Icon name="reel" /></button
        >
      {/snippet}
    </Hint>
    <Hint text={night ? "Day colours" : "Night colours"}>
      {#snippet child(props)}
        <button
          {...props}
          class="btn-bare"
          aria-label={night ? "Day colours" : "Night colours"}
          onclick={turn}><Icon name={night ? "sun" : "moon"} /></button
        >
      {/snippet}
    </Hint>
    <Hint text="All keys" keys="?">
      {#snippet child(props)}
        <button
          {...props}
          class="btn-bare"
          aria-label="All keys"
          onclick={() => (desk.keysOpen = true)}><Icon name="keys" /></button
        >
      {/snippet}
    </Hint>
    <button
      class="btn btn-red"
      aria-expanded={desk.slide === "exports"}
      onclick={() => desk.toggleSlide("exports")}>Export</button
    >
  </div>
</header>

<style>
  header {
    grid-column: 1 / -1;
    display: flex;
    align-items: center;
    gap: 12px;
    padding: 0 12px;
    border-bottom: 1px solid var(--rule);
    background: var(--paper);
    min-width: 0;
  }
  .brand {
    display: flex;
    align-items: center;
    gap: 6px;
    font-weight: 600;
    font-size: 15px;
    color: inherit;
    text-decoration: none;
  }
  .where {
    flex: 1;
    min-width: 60px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    color: var(--quiet);
  }
  .where a {
    color: inherit;
    text-decoration: none;
  }
  .where h1 {
    display: inline;
    margin: 0;
    font-size: inherit;
    color: var(--ink);
    font-weight: 600;
  }
  .ground {
    width: 30px;
    height: 24px;
    padding: 1px;
    border: 1px solid var(--rule);
    border-radius: 3px;
    background: none;
  }
  .right {
    flex: 1.4;
    display: flex;
    justify-content: end;
    align-items: center;
    gap: 3px;
    min-width: 0;
  }
  .job,
  .saved {
    display: flex;
    align-items: center;
    gap: 7px;
    min-width: 0;
    color: var(--quiet);
    font-size: 12px;
    white-space: nowrap;
  }
  .say {
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .job,
  .saved {
    margin-right: 6px;
  }
  @media (max-width: 1120px) {
    .saved {
      display: none;
    }
  }
  .lost {
    color: var(--redtext);
    font-weight: 600;
  }
</style>
