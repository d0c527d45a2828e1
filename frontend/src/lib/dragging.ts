/** What is told of things that are dragged. */
import type { DragEndEvent, DragMoveEvent, DragStartEvent } from "@dnd-kit/dom";

/** Something was taken. */
export type Taken = Parameters<DragStartEvent>[0];
/** It is over something else. */
export type Dragged = Parameters<DragMoveEvent>[0];
/** It was let go, or put back where it was. */
export type LetGo = Parameters<DragEndEvent>[0];
