<!-- A look for the stand, laid on several shots at once. -->
<script lang="ts">
  import { api, type Op } from "../lib/api";
  import type { LookOut, ShotCard } from "../lib/api-types";
  import { notes } from "../lib/notes.svelte";
  import Button from "../ui/Button.svelte";
  import Dialog from "../ui/Dialog.svelte";

  type Props = { shots: ShotCard[]; open: boolean; onclose: () => void; changed: () => void };
  let { shots, open, onclose, changed }: Props = $props();
  let looks = $state.raw<LookOut[] | null>(null);
  let picked = $state("");
  let busy = $state(false);

  $effect(() => {
    if (!open) return;
    api
      .looks()
      .then((found) => (looks = found.looks.filter((one) => one.of === "planes")))
      .catch(notes.fault);
  });

  /** Lays it on one shot with what suits; says why where the shot lacks what the look needs. */
  async function layOn(shot: ShotCard, look: LookOut): Promise<string | null> {
    const body = { look: look.id, plane: null, prefer: null };
    const { chosen } = await api.suited(shot.id, { ...body, chosen: {} });
    const lacks = look.needs.filter((need) => need.of === "matte" && !chosen[need.id]);
    if (lacks.length) return `it has no matte for “${lacks[0].name}”`;
    const found = await api.layLook(shot.id, { ...body, chosen });
    const { revision } = await api.shot(shot.id);
    await api.edit(shot.id, revision, found.ops as Op[], found.label, null, null);
    return null;
  }

  async function go() {
    const look = looks?.find((one) => one.id === picked);
    if (!look) return;
    busy = true;
    const left: string[] = [];
    for (const shot of shots) {
      const why = await layOn(shot, look).catch((error: Error) => error.message);
      if (why) left.push(`${shot.name}: ${why}`);
    }
    busy = false;
    changed();
    onclose();
    const laid = shots.length - left.length;
    notes.add(
      `${look.name} is laid on ${laid === 1 ? "1 shot" : `${laid} shots`}.`,
      left.length ? `Not on: ${left.join("; ")}.` : "Undo takes it off in each of them.",
    );
  }
</script>

<Dialog
  title={`Lay a look on ${shots.length === 1 ? shots[0].name : `${shots.length} shots`}`}
  {open}
  {onclose}
  width={620}
>
  {#if looks?.length}
    <div
      class="mt-3 grid max-h-[50vh] grid-cols-3 gap-2.5 overflow-y-auto p-0.5"
      role="radiogroup"
      aria-label="Look"
    >
      {#each looks as look (look.id)}
        <button
          type="button"
          role="radio"
          aria-checked={picked === look.id}
          class={[
            "grid content-start rounded border bg-card text-left text-xs",
            picked === look.id ? "border-ink outline-2 outline-ink" : "border-rule",
          ]}
          onclick={() => (picked = look.id)}
        >
          {#if look.picture}<img
              class="aspect-video w-full object-cover"
              src={look.picture}
              alt=""
            />{/if}
          <strong class="truncate px-1.5 pt-1 font-semibold">{look.name}</strong>
          <span class="px-1.5 pb-1 text-quiet">{look.about}</span>
        </button>
      {/each}
    </div>
  {:else if looks}
    <p class="mt-3 text-quiet">
      There is no look for a stand yet. A shot's planes are saved as one.
    </p>
  {/if}
  <div class="mt-3 flex gap-2">
    <Button kind="main" onclick={go} disabled={busy || !picked || !shots.length}
      >{busy ? "Laying on …" : "Lay on"}</Button
    >
    <Button onclick={onclose}>Cancel</Button>
  </div>
</Dialog>
