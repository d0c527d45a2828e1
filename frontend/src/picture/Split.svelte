<script lang="ts">
  import type { Desk } from "../desk/desk.svelte";

  /** The line between two views; dragged, or moved by the left and right arrow. */
  let { desk, x, left, width }: { desk: Desk; x: number; left: number; width: number } = $props();
  let line = $state<HTMLDivElement>();
  const put = (share: number) => (desk.view.splitAt = Math.max(0.02, Math.min(0.98, share)));

  function move(event: PointerEvent) {
    if (!line!.hasPointerCapture(event.pointerId)) return;
    const bounds = line!.parentElement!.getBoundingClientRect();
    put((event.clientX - bounds.left - left) / width);
  }

  function key(event: KeyboardEvent) {
    const by = { ArrowLeft: -0.01, ArrowRight: 0.01 }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    put(desk.view.splitAt + by);
  }
</script>

<div
  class="absolute inset-y-0 -ml-1.5 grid w-[13px] cursor-ew-resize place-items-center"
  bind:this={line}
  role="slider"
  tabindex="0"
  aria-label="Where the picture is split"
  aria-valuemin="0"
  aria-valuemax="100"
  aria-valuenow={Math.round(desk.view.splitAt * 100)}
  style:left={`${x}px`}
  onpointerdown={(e) => (e.stopPropagation(), line!.setPointerCapture(e.pointerId))}
  onpointermove={move}
  onkeydown={key}
>
  <span class="absolute inset-y-0 w-1 bg-black/55"></span>
  <span class="absolute inset-y-0 w-0.5 bg-white"></span>
  <span class="z-1 h-[26px] w-full rounded-md border-[1.5px] border-film bg-white"></span>
</div>
