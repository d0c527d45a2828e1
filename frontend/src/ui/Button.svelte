<!-- A button: plain with a border, bare without, or the one that matters most on a screen. -->
<script lang="ts">
  import type { Snippet } from "svelte";
  import type { HTMLButtonAttributes } from "svelte/elements";

  type Props = HTMLButtonAttributes & {
    kind?: "plain" | "bare" | "main";
    children: Snippet;
  };
  let { kind = "plain", children, class: more, ...rest }: Props = $props();
  const looks = {
    plain:
      "rounded-[5px] border border-rule bg-card px-2 hover:enabled:border-ink aria-pressed:border-ink aria-pressed:bg-stand",
    bare: "min-w-6 justify-center rounded px-1.5 text-quiet hover:enabled:bg-ink/8 hover:enabled:text-ink aria-pressed:bg-ink/10 aria-pressed:text-ink",
    main: "rounded-[5px] bg-[#c03a27] px-2.5 font-semibold text-white hover:enabled:bg-[#a32f1e]",
  };
</script>

<button
  type="button"
  {...rest}
  class={[
    "inline-flex min-h-6 items-center gap-1.5 whitespace-nowrap disabled:cursor-default disabled:opacity-50",
    looks[kind],
    more,
  ]}>{@render children()}</button
>
