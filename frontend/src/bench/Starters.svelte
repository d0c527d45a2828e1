<!-- A treatment's starters, each on this very frame; a press takes its values over. -->
<script lang="ts">
  import type { DeclaredOut, Plane, StarterOut, Step } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";
  import { moves } from "../lib/movers";
  import Tried from "./Tried.svelte";
  import { triesOf } from "./tries.svelte";

  type Props = { desk: Desk; plane: Plane; step: Step; declared: DeclaredOut; path: string };
  let { desk, plane, step, declared, path }: Props = $props();
  const WIDTH = 96;
  const shot = $derived(desk.shot);
  // svelte-ignore state_referenced_locally (a component never changes its desk)
  const tries = triesOf(desk, () => ({ kind: "step", plane: plane.id, step: step.id }), WIDTH, 150);

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
    {@const small = tries.list[i]}
    <button
      type="button"
      class="h-8 w-[52px] flex-none overflow-hidden rounded-sm bg-surround hover:outline-2 hover:outline-ink"
      title={starter.name}
      aria-label={`${declared.label}: ${starter.name}`}
      onpointerenter={() => (desk.view.trying = small?.view ?? null)}
      onpointerleave={() => (desk.view.trying = null)}
      onclick={() => ((desk.view.trying = null), take(starter))}
    >
      <Tried {desk} tried={small} width={WIDTH} />
    </button>
  {/each}
</div>
