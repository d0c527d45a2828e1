<script lang="ts">
  import type { Desk } from "../lib/desk.svelte";

  /** The line between two views; dragged, or moved by the left and right arrow. */
  let { desk, x, left, width }: { desk: Desk; x: number; left: number; width: number } = $props();
  let line = $state<HTMLDivElement>();
  const put = (share: number) => (desk.splitAt = Math.max(0.02, Math.min(0.98, share)));

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
    put(desk.splitAt + by);
  }
</script>

<div
  class="line"
  bind:this={line}
  role="slider"
  tabindex="0"
  aria-label="Where the picture is split"
  aria-valuemin="0"
  aria-valuemax="100"
  aria-valuenow={Math.round(desk.splitAt * 100)}
  style:left={`${x}px`}
  onpointerdown={(e) => (e.stopPropagation(), line!.setPointerCapture(e.pointerId))}
  onpointermove={move}
  onkeydown={key}
></div>

<style>
  .line {
    position: absolute;
    top: 0;
    bottom: 0;
    width: 13px;
    margin-left: -6px;
    cursor: ew-resize;
    background:
      linear-gradient(#fff 0 0) center / 2px 100% no-repeat,
      linear-gradient(rgb(0 0 0 / 0.55) 0 0) center / 4px 100% no-repeat;
  }
  .line::after {
    content: "";
    position: absolute;
    top: 50%;
    left: 0;
    width: 13px;
    height: 26px;
    border-radius: 6px;
    background: #fff;
    border: 1.5px solid #25262a;
    box-sizing: border-box;
  }
</style>
