<!-- A line that says what is wrong with the program's surroundings: a full disk, no worker. -->
<script lang="ts">
  import { standing } from "./standing.svelte";

  $effect(() => standing.use());
</script>

{#if standing.says}
  <p class="border-l-4 border-red bg-card px-3 py-1.5" role="alert">{standing.says}</p>
{/if}
