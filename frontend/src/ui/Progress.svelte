<!-- How far something is, 0 to 1. -->
<script lang="ts">
  import { Progress } from "bits-ui";

  let { name, share, class: more }: { name: string; share: number; class?: string } = $props();
  const percent = $derived(Math.round(100 * Math.max(0, Math.min(1, share))));
</script>

<Progress.Root
  value={percent}
  aria-label={name}
  class={["h-1.5 overflow-hidden rounded-full bg-rule", more]}
>
  <span class="block h-full bg-blue" style:width={`${percent}%`}></span>
</Progress.Root>
