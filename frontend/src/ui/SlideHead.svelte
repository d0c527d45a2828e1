<!-- The head of a side room: what it is, and the way back to the stand. -->
<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import Icon from "../lib/Icon.svelte";
  import Button from "./Button.svelte";

  let { desk, title }: { desk: Desk; title: string } = $props();
</script>

<header class="sticky top-0 z-10 -mx-3 mb-1 flex items-center justify-between bg-paper px-3 py-2">
  <h2 class="text-base font-semibold">{title}</h2>
  <Button kind="bare" aria-label="Back to the stand" onclick={() => (desk.slide = "none")}
    ><Icon name="close" /></Button
  >
</header>
