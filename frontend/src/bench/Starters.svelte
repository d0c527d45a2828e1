<!-- A treatment's starters, each on this very frame; a press takes its values over. -->
<script lang="ts">
  import { api } from "../lib/api";
  import type { DeclaredOut, Plane, StarterOut, Step, TryOut } from "../lib/api-types";
  import type { Desk } from "../lib/desk.svelte";
  import { moves } from "../lib/movers";

  type Props = { desk: Desk; plane: Plane; step: Step; declared: DeclaredOut; path: string };
  let { desk, plane, step, declared, path }: Props = $props();
  const shot = $derived(desk.shot);
  let tries = $state.raw<TryOut[]>([]);

  $effect(() => {
    void shot.version;
    const frame = desk.frame;
    if (desk.playing) return;
    const target = `plane:${plane.id}:${step.id}`;
    const wait = setTimeout(() => {
      void api.tries(shot.id, target, frame, 96).then(
        (found) => (tries = found.tries),
        () => {},
      );
    }, 150);
    return () => clearTimeout(wait);
  });

  /** Keyed values stay: a starter sets what stands still. */
  function take(starter: StarterOut) {
    const ops = Object.entries(starter.values)
      .filter(([name]) => !moves(step.params[name]))
      .map(([name, value]) => ({ op: "add", path: `${path}/${name}`, value }));
    shot.edit(ops, `${declared.label}: ${starter.name}`);
  }
</script>

<div
  class="mb-1 flex flex-wrap gap-1 pb-0.5"
  role="group"
  aria-label={`Starters of ${declared.label}`}
>
  {#each declared.starters as starter, i (starter.name)}
    {@const small = tries[i]}
    <button
      type="button"
      class="h-8 w-[52px] flex-none overflow-hidden rounded-sm bg-surround hover:outline-2 hover:outline-ink"
      title={starter.name}
      aria-label={`${declared.label}: ${starter.name}`}
      onpointerenter={() => (desk.trying = small?.view ?? null)}
      onpointerleave={() => (desk.trying = null)}
      onclick={() => ((desk.trying = null), take(starter))}
    >
      {#if small}
        <img
          class="size-full object-cover"
          src={api.picture(shot.id, small.key, small.view, small.frame, 96)}
          alt=""
          draggable="false"
        />
      {/if}
    </button>
  {/each}
</div>
