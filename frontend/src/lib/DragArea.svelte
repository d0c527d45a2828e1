<!-- Within it, what is draggable is taken by mouse, pen or finger, and let go over something that takes it. -->
<script lang="ts">
  import {
    AutoScroller,
    Cursor,
    DragDropManager,
    Feedback,
    PointerActivationConstraints,
    PointerSensor,
    PreventSelection,
  } from "@dnd-kit/dom";
  import { DragDropProvider } from "@dnd-kit/svelte";
  import { onDestroy, type Snippet } from "svelte";
  import type { Dragged, LetGo, Taken } from "./dragging";

  type Props = {
    onmove?: (event: Dragged) => void;
    onend: (event: LetGo) => void;
    children: Snippet;
  };
  let { onmove, onend, children }: Props = $props();
  // a press stays a press, and a finger that moves at once scrolls
  const sensors = [
    PointerSensor.configure({
      activationConstraints: ({ pointerType }) =>
        pointerType === "touch"
          ? [new PointerActivationConstraints.Delay({ value: 250, tolerance: 5 })]
          : [new PointerActivationConstraints.Distance({ value: 5 })],
    }),
  ];
  // what can be dragged can be moved by keys and menus, too, which know of groups: no sensor for keys is needed
  const plugins = [
    AutoScroller,
    Cursor,
    Feedback.configure({ dropAnimation: null }),
    PreventSelection,
  ];
  const manager = new DragDropManager({ sensors, plugins });
  onDestroy(() => manager.destroy());

  /** A finger that drags is not one that rests: the menu that a long press opens stays shut. */
  function taken({ operation }: Taken) {
    operation.source?.element?.dispatchEvent(
      new PointerEvent("pointercancel", { pointerType: "touch" }),
    );
  }
</script>

<DragDropProvider
  {manager}
  {sensors}
  {plugins}
  onDragStart={taken}
  onDragMove={onmove}
  onDragEnd={onend}>{@render children()}</DragDropProvider
>
