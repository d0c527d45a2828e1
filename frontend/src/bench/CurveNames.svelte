<!-- The values that move, each with its line's kind and what it is on the frame shown; unticked ones are not drawn. -->
<script lang="ts">
  import type { Env } from "../lib/values";
  import { valueOn, type Moving } from "./plot";

  type Named = Moving & { label: string; dash: string };
  type Props = {
    list: Named[];
    env: Env;
    chosen: string | null;
    off: Set<string>;
    onturn: (path: string) => void;
  };
  let { list, env, chosen, off, onturn }: Props = $props();
</script>

<ul aria-label="Values that move" class="overflow-y-auto border-r border-rule px-2 py-1.5 text-xs">
  {#each list as m (m.path)}
    <li>
      <label
        class={[
          "flex min-h-6 items-center gap-1.5 rounded-sm px-1",
          chosen === m.path && "inset-ring-[1.5px] inset-ring-ink",
        ]}
      >
        <input type="checkbox" checked={!off.has(m.path)} onchange={() => onturn(m.path)} />
        <svg class="flex-none" width="26" height="8" aria-hidden="true"
          ><path
            d="M1 4H25"
            stroke="currentColor"
            stroke-width="1.6"
            stroke-dasharray={m.dash}
          /></svg
        >
        <span class="flex-1 truncate">{m.label}</span>
        <b class="font-mono text-[11.5px] font-medium">{Math.round(valueOn(m, env) * 100) / 100}</b>
      </label>
    </li>
  {:else}
    <li class="p-1.5 text-quiet">
      Nothing moves yet. Set a keyframe with the ring beside a value (K), or let it arrive.
    </li>
  {/each}
</ul>
