<script lang="ts">
  import { onMount } from "svelte";
  import { api } from "./lib/api";
  import type { Desk } from "./desk/desk.svelte";
  import type { Ground, Mode } from "./desk/view.svelte";
  import { left } from "./lib/format";
  import Hint from "./lib/Hint.svelte";
  import Icon from "./lib/Icon.svelte";
  import { MODES } from "./desk/view.svelte";
  import { turn } from "./lib/look";
  import { notes } from "./lib/notes.svelte";
  import Button from "./ui/Button.svelte";
  import Menu from "./ui/Menu.svelte";
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
  const coloured = $derived(desk.view.ground.startsWith("#"));
  const job = $derived(shot.following ?? shot.solving ?? shot.settling ?? shot.exporting);
  const beside = $derived([
    { value: "result:", label: "result" },
    ...(desk.view.split?.version
      ? [{ value: "version:", label: `version ${desk.view.split.version.name}` }]
      : []),
    ...shot.doc.mattes.flatMap((one) =>
      (["veil", "matte", "cutout"] as const).map((mode) => ({
        value: `${mode}:${one.id === desk.selection.matteId ? "" : one.id}`,
        label: `${mode === "cutout" ? "cut-out" : mode} of ${one.name}`,
      })),
    ),
  ]);
  const chosen = $derived(
    desk.view.split?.version
      ? "version:"
      : `${desk.view.split?.mode}:${desk.view.split?.matte ?? ""}`,
  );

  function split(value: string) {
    const [mode, id] = value.split(":");
    if (mode !== "version") desk.view.split = { mode: mode as Mode, matte: id || null };
  }

  const steps = $derived([
    {
      way: "undo" as const,
      label: "Undo",
      keys: "Ctrl Z",
      says: shot.history.undo ? `Undo: ${shot.history.undo}` : "Nothing to undo",
    },
    {
      way: "redo" as const,
      label: "Redo",
      keys: "Ctrl Shift Z",
      says: shot.history.redo ? `Redo: ${shot.history.redo}` : "Nothing to redo",
    },
  ]);
  let night = $state(false);
  onMount(() => {
    const look = () => (night = document.documentElement.classList.contains("night"));
    look();
    const watch = new MutationObserver(look);
    watch.observe(document.documentElement, { attributes: true });
    return () => watch.disconnect();
  });

  let wide = $state(1280);
  /** Whether the words of the bar have no room, and whether its signs have none. */
  const crowded = $derived(wide < 1180 || (!!desk.view.split && wide < 1500));
  const narrow = $derived(wide < 1100);

  /** The side rooms, which take the stand's place; pressed again, it is back. */
  const slides = [
    ["people", "People", "Who is in the picture: covers and the audit", "W", "people"],
    ["sound", "Sound", "What is heard of this shot", "Q", "sound"],
    ["cuts", "Cuts", "Camera shots within the plate", "X", "cut"],
    ["versions", "Versions", "Named versions of this shot", "V", "versions"],
    ["footage", "Footage", "Footage of this project", undefined, "reel"],
  ] as const;
  const openers = $derived([
    ...slides
      .filter(([slide]) => desk.hasRoom(slide))
      .map(([slide, name, says, keys, icon]) => ({
        name,
        says,
        keys,
        icon,
        open: desk.slide === slide,
        run: () => desk.toggleSlide(slide),
      })),
    {
      open: undefined,
      name: night ? "Day colours" : "Night colours",
      says: night ? "Day colours" : "Night colours",
      icon: night ? ("sun" as const) : ("moon" as const),
      run: turn,
    },
    {
      open: undefined,
      name: "All keys",
      says: "All keys",
      keys: "?",
      icon: "keys" as const,
      run: () => (desk.keysOpen = true),
    },
  ]);
</script>

<svelte:window bind:innerWidth={wide} />
<header class="col-span-full flex min-w-0 items-center gap-3 border-b border-rule bg-paper px-3">
  <a class="flex items-center gap-1.5 text-[15px] font-semibold" href="#/" title="All projects">
    <img src="/mark.svg" alt="" width="16" height="16" />Cuvrel
  </a>
  {#if desk.from}<a
      class="btn-bare flex-none"
      href={`#/shot/${desk.from[0]}/${desk.from[1]}`}
      title="Back to the reel, at the frame from which this shot was opened">‹ Reel</a
    >{/if}
  <div class="min-w-[60px] flex-1 truncate text-quiet">
    <span class="max-[1180px]:hidden"
      ><a href={`#/project/${shot.about.project}`} title="The project’s shots and footage"
        >{shot.about.project_name}</a
      > /</span
    >
    <h1 class="inline font-semibold text-ink">{shot.doc.name}</h1>
  </div>
  <!-- what has no room gives way: words to signs, signs to a menu -->
  {#if shot.reel}
    <span class="text-quiet">reel</span>
  {:else if narrow && desk.view.split}
    <Select
      name="View"
      class="w-28 flex-none"
      value={desk.view.mode}
      options={MODES.map(([value, label], i) => ({ value, label: `${label}  ${i + 1}` }))}
      onpick={(mode) => (desk.view.mode = mode as Mode)}
    />
  {:else}
    <Segments
      name="View"
      size="tall"
      class="flex-none"
      value={desk.view.mode}
      options={MODES.map(([value, label], i) => ({ value, label, hint: `${label}  (${i + 1})` }))}
      onpick={(mode) => (desk.view.mode = mode as Mode)}
    />
  {/if}
  {#if desk.view.mode === "cutout"}
    <Select
      name="Ground of the cut-out"
      value={desk.view.ground}
      options={grounds.map(([value, name]) => ({
        value: name === "colour" && coloured ? desk.view.ground : value,
        label: `over ${name}`,
      }))}
      onpick={(ground) => (desk.view.ground = ground)}
    />
    {#if coloured}
      <input
        type="color"
        class="h-6 w-[30px] rounded-sm border border-rule p-px"
        aria-label="Colour of the ground"
        value={desk.view.ground}
        onchange={(e) => (desk.view.ground = e.currentTarget.value)}
      />
    {/if}
  {/if}
  {#if !shot.reel}
    <Hint
      text={desk.view.split ? "Take the split away" : "Split the picture between two views"}
      keys="S"
    >
      {#snippet child(props)}
        <Button
          {...props}
          kind="bare"
          aria-label="Split"
          aria-pressed={!!desk.view.split}
          onclick={() => desk.view.toggleSplit()}><Icon name="split" /></Button
        >
      {/snippet}
    </Hint>
  {/if}
  {#if desk.view.split}
    <Select
      name="View on the right of the split"
      value={chosen}
      options={beside}
      onpick={split}
      class="max-w-40"
    />
  {/if}
  <div class="flex min-w-0 flex-[1.4] items-center justify-end gap-0.5">
    {#if !shot.online}
      <span class="font-semibold text-redtext" role="alert">No connection; trying again …</span>
    {:else if job}
      <span class="mr-1.5 flex min-w-0 items-center gap-2 text-xs whitespace-nowrap text-quiet">
        <Progress
          class="w-16 flex-none"
          share={job.total ? job.done / job.total : 0}
          name={job.title}
        />
        <span class="truncate">{job.title} {job.done} of {job.total}{left(job, Date.now())}</span>
        <Button kind="bare" onclick={() => api.stop(job.id).catch((e) => notes.fault(e))}
          >Stop</Button
        >
      </span>
    {:else}
      <span
        class={["mr-1.5 text-xs whitespace-nowrap text-quiet", crowded && "sr-only"]}
        aria-live="polite">{shot.saving ? "Saving …" : "All saved"}</span
      >
    {/if}
    {#each steps as step (step.way)}
      <Hint text={step.says} keys={step.keys}>
        {#snippet child(props)}
          <Button
            {...props}
            kind="bare"
            disabled={!shot.history[step.way]}
            aria-label={step.label}
            onclick={() => shot.step(step.way)}
            >{#if crowded}<Icon name={step.way} />{:else}{step.label}{/if}</Button
          >
        {/snippet}
      </Hint>
    {/each}
    {#if narrow}
      <Menu
        name="Rooms, colours and keys"
        choices={openers.map((one) => ({ label: one.name, hint: one.says, run: one.run }))}
      />
    {/if}
    {#each narrow ? [] : openers as one (one.icon)}
      <Hint text={one.says} keys={one.keys}>
        {#snippet child(props)}
          <Button
            {...props}
            kind="bare"
            aria-label={one.name}
            aria-expanded={one.open}
            onclick={one.run}><Icon name={one.icon} /></Button
          >
        {/snippet}
      </Hint>
    {/each}
    <Button
      kind="main"
      aria-expanded={desk.slide === "exports"}
      onclick={() => desk.toggleSlide("exports")}>Export</Button
    >
  </div>
</header>
