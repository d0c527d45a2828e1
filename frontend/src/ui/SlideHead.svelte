<!-- The head of a slide-over: what it is, and the way out. -->
<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";
  import Icon from "../lib/Icon.svelte";
  import Button from "./Button.svelte";

  let { desk, title }: { desk: Desk; title: string } = $props();
</script>

<header class="flex items-center justify-between py-2">
  <h2 class="text-base font-semibold">{title}</h2>
  <Button kind="bare" aria-label="Close" onclick={() => (desk.slide = "none")}
    ><Icon name="close" /></Button
  >
</header>
