<!-- A view's picture, drawn where the plate lies. -->
<script lang="ts">
  import type { Pictures } from "../desk/pictures.svelte";
  import type { Framing } from "./framing.svelte";

  /** from: the share of the width on whose left nothing is shown. */
  type Props = { pictures: Pictures; framing: Framing; name: string; from?: number };
  let { pictures, framing, name, from = 0 }: Props = $props();
  let canvas = $state<HTMLCanvasElement>();

  $effect(() => {
    const bitmap = pictures.shown;
    if (!canvas || !bitmap) return;
    if (canvas.width !== bitmap.width || canvas.height !== bitmap.height) {
      canvas.width = bitmap.width;
      canvas.height = bitmap.height;
    }
    canvas.getContext("2d")!.drawImage(bitmap, 0, 0);
    canvas.dataset.key = pictures.shownKey;
    canvas.dataset.frame = String(pictures.shownFrame);
  });
</script>

<canvas
  bind:this={canvas}
  class="absolute"
  data-picture
  aria-label={name}
  style:left={`${framing.left}px`}
  style:top={`${framing.top}px`}
  style:width={`${framing.width}px`}
  style:height={`${framing.height}px`}
  style:image-rendering={framing.scale > 2 ? "pixelated" : "auto"}
  style:clip-path={from ? `inset(0 0 0 ${from * 100}%)` : undefined}
></canvas>
