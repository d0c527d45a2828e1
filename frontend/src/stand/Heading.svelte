<script lang="ts">
  import type { Snippet } from "svelte";

  /** The head of a list: its name, a word about it, and what adds to it. */
  let { name, note, children }: { name: string; note: string | number; children: Snippet } =
    $props();
</script>

<div class="heading">
  <h2>{name}</h2>
  <span>{note}</span>
  {@render children()}
</div>

<style>
  .heading {
    display: flex;
    align-items: baseline;
    gap: 8px;
    padding: 8px 8px 4px 13px;
  }
  span {
    flex: 1;
    font-size: 11.5px;
    color: var(--quiet);
  }
  h2 {
    margin: 0;
    font-size: 13.5px;
    font-weight: 600;
  }
</style>
