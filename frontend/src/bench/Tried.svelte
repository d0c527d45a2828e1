<!-- The small picture of one thing that could be laid on, once it is known. -->
<script lang="ts">
  import { api } from "../lib/api";
  import type { TryOut } from "../lib/api-types";
  import type { Desk } from "../desk/desk.svelte";

  let { desk, tried, width }: { desk: Desk; tried: TryOut | undefined; width: number } = $props();
</script>

{#if tried}
  <img
    class="size-full object-cover"
    src={api.picture(desk.shot.id, tried.key, tried.view, tried.frame, width)}
    alt=""
    draggable="false"
  />
{/if}
