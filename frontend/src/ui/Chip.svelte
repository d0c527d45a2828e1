<!-- A short word in a frame, pressed or not. -->
<script lang="ts">
  import type { Snippet } from "svelte";

  type Props = { on: boolean; onpick: () => void; children: Snippet };
  let { on, onpick, children }: Props = $props();
</script>

<button
  type="button"
  aria-pressed={on}
  onclick={onpick}
  class="min-h-6 rounded-full border border-rule px-2.5 text-xs hover:border-ink aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:text-on-ink"
  >{@render children()}</button
>
