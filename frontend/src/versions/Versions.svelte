<!-- How the shot stood: named, looked at beside the present, and gone back to. -->
<script lang="ts">
  import SlideHead from "../ui/SlideHead.svelte";
  import { onMount } from "svelte";
  import { api } from "../lib/api";
  import type { VersionOut } from "../lib/api-types";
  import { asking } from "../lib/asking.svelte";
  import type { Desk } from "../desk/desk.svelte";
  import { ago } from "../lib/format";
  import Icon from "../lib/Icon.svelte";
  import { notes } from "../lib/notes.svelte";
  import Button from "../ui/Button.svelte";

  let { desk }: { desk: Desk } = $props();
  const shot = $derived(desk.shot);
  let versions = $state.raw<VersionOut[] | null>(null);
  let name = $state("");

  async function load() {
    try {
      versions = (await api.versions(shot.id)).versions;
    } catch (error) {
      notes.fault(error);
    }
  }
  onMount(load);

  async function keep(event: SubmitEvent) {
    event.preventDefault();
    try {
      await shot.settled();
      const called = name.trim() || `Version ${(versions?.length ?? 0) + 1}`;
      await api.keepVersion(shot.id, called, desk.playback.frame);
      name = "";
      await load();
    } catch (error) {
      notes.fault(error);
    }
  }

  const beside = (one: VersionOut) => desk.view.split?.version?.id === one.id;

  function look(one: VersionOut) {
    if (beside(one)) {
      desk.view.split = null;
      return;
    }
    desk.view.mode = "result";
    desk.view.split = { mode: "result", matte: null, version: one };
  }

  async function back(one: VersionOut) {
    desk.view.split = null;
    await shot.goBack(one.id);
    await load();
  }

  async function forget(one: VersionOut) {
    const detail = "The shot stays as it is; only this version can't be gone back to any more.";
    if (!(await asking.sure(`Forget ${one.name}?`, detail, "Forget"))) return;
    if (beside(one)) desk.view.split = null;
    try {
      await api.forgetVersion(shot.id, one.id);
    } catch (error) {
      notes.fault(error);
    }
    await load();
  }
</script>

<section class="room" aria-label="Versions">
  <SlideHead {desk} title="Versions" />
  <form class="flex gap-2" onsubmit={keep}>
    <input
      class="field min-w-0 flex-1"
      placeholder="Name how it stands now"
      aria-label="Name of the version"
      maxlength="120"
      bind:value={name}
    />
    <Button kind="main" type="submit">Keep</Button>
  </form>
  <ul class="mt-3 grid gap-3">
    {#each versions ?? [] as one (one.id)}
      <li class="grid grid-cols-[128px_minmax(0,1fr)] gap-x-2.5 border-b border-faint pb-3">
        <img
          class="row-span-2 aspect-video w-full bg-surround object-cover"
          src={one.picture}
          alt={`A frame of ${one.name}`}
        />
        <span class="min-w-0">
          <strong class="block truncate font-medium">{one.name}</strong>
          <span class="text-xs text-quiet">{ago(one.created)}</span>
        </span>
        <span class="flex flex-wrap items-center gap-1">
          <Button
            aria-pressed={beside(one)}
            aria-label={`Look at ${one.name}`}
            onclick={() => look(one)}>Beside</Button
          >
          <Button aria-label={`Go back to ${one.name}`} onclick={() => back(one)}>Go back</Button>
          <Button kind="bare" aria-label={`Forget ${one.name}`} onclick={() => forget(one)}
            ><Icon name="close" size={13} /></Button
          >
        </span>
      </li>
    {:else}
      {#if versions}
        <li class="text-quiet">
          No version yet. Name how the shot stands before you try something: you can look at it
          beside what you have then, and go back to it.
        </li>
      {/if}
    {/each}
  </ul>
</section>
