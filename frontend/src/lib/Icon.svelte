<script lang="ts" module>
  // drawn for this program on a 20 x 20 grid, in pencil strokes
  export const ICONS = {
    in: "M4 16 L9 9 M8 12.5 C11 7 14 5 16 4 C15.5 7 13.5 11 9.5 14 Z",
    out: "M3 14 C7 12 12 9 16 4 M6 9.5 L9 14 M10 6.5 L13 11 M13.5 4 L16.5 8",
    erase: "M4 13 L11 5 L16 9.5 L9 16.5 H6.5 Z M7.5 9 L12.5 13.5 M9 16.5 H17",
    lasso:
      "M10 4.5 C15 4.5 17.5 7 16.5 9.5 C15.5 12.5 10 13.5 6.5 12 C2.5 10 4 4.5 10 4.5 M6.5 12 C5 13 5.5 16 8 16.5",
    near: "M4 4.5 H6.5 M9 4.5 H11 M13.5 4.5 H16 V7 M16 9.5 V11 M16 13.5 V16 H13.5 M11 16 H9 M6.5 16 H4 V13.5 M4 11 V9.5 M4 7 V4.5 M10 8 A2.2 2.2 0 1 0 10 12.4 A2.2 2.2 0 1 0 10 8",
    drag: "M7.5 3 C4.5 8 4.5 12 7.5 17 M10 10 H17.5 M17.5 10 L14.5 7 M17.5 10 L14.5 13",
    hand: "M10 3 V17 M3 10 H17 M10 3 L8 5 M10 3 L12 5 M10 17 L8 15 M10 17 L12 15 M3 10 L5 8 M3 10 L5 12 M17 10 L15 8 M17 10 L15 12",
    arrow: "M5 3.5 L14.5 11 L10 11.6 L12.4 16.6 L10.4 17.5 L8 12.4 L5 15.6 Z",
    ellipse: "M10 4.5 A7.2 5.5 0 1 0 10 15.5 A7.2 5.5 0 1 0 10 4.5",
    box: "M5.5 4.5 H14.5 Q16.5 4.5 16.5 6.5 V13.5 Q16.5 15.5 14.5 15.5 H5.5 Q3.5 15.5 3.5 13.5 V6.5 Q3.5 4.5 5.5 4.5",
    polygon: "M4 6 L12 3.5 L17 9 L13 16.5 L5.5 14 Z",
    curve: "M4 12 C3 5 8 3 10.5 6 C12.5 8.5 17.5 6.5 16.5 11.5 C15.5 17 5 18 4 12 Z",
    line: "M3.5 14 C7 4 10 6 11 10 C12 14 14.5 12.5 16.5 6",
    place:
      "M5 5.5 H15 V14.5 H5 Z M3.6 4.1 H6.4 V6.9 H3.6 Z M13.6 13.1 H16.4 V15.9 H13.6 Z M10 8 V12 M8 10 H12",
    point:
      "M10 2.5 V7 M10 13 V17.5 M2.5 10 H7 M13 10 H17.5 M10 8.8 A1.2 1.2 0 1 0 10 11.2 A1.2 1.2 0 1 0 10 8.8",
    region:
      "M6 5 C10 2.5 16 5 16 9.5 C16 14 11.5 16.5 7.5 15 C3.5 13.5 3 7.5 6 5 M8 8.5 H8.2 M12 8 H12.2 M10 12 H10.2",
    patch: "M4 6.5 L16 4 L15 15.5 L5.5 13.5 Z M3 5.5 H5 V7.5 H3 Z M15 3 H17 V5 H15 Z",
    spare: "M10 4 A6 6 0 1 0 10 16 A6 6 0 1 0 10 4 M5.8 14.2 L14.2 5.8",
    take: "M10 4 A6 6 0 1 0 10 16 A6 6 0 1 0 10 4 M10 7 V13 M7 10 H13",
    pick: "M3.5 3.5 H10.5 V10.5 H3.5 Z M7 7 L16.5 16.5 M16.5 16.5 V12 M16.5 16.5 H12",
    split: "M3 5 H17 V15 H3 Z M10 3 V17",
    undo: "M4 8 H12 A4 4 0 0 1 12 16 H8 M4 8 L8 4.5 M4 8 L8 11.5",
    redo: "M16 8 H8 A4 4 0 0 0 8 16 H12 M16 8 L12 4.5 M16 8 L12 11.5",
    plus: "M10 4 V16 M4 10 H16",
    more: "M4.6 9.3 A0.7 0.7 0 1 0 4.61 9.3 M10 9.3 A0.7 0.7 0 1 0 10.01 9.3 M15.4 9.3 A0.7 0.7 0 1 0 15.41 9.3",
    eye: "M2.5 10 C5 5.5 15 5.5 17.5 10 C15 14.5 5 14.5 2.5 10 Z M10 8.2 A1.8 1.8 0 1 0 10 11.8 A1.8 1.8 0 1 0 10 8.2",
    shut: "M2.5 9 C5 13 15 13 17.5 9 M5 11.5 L3.8 13.5 M10 12 V14.4 M15 11.5 L16.2 13.5",
    moon: "M13.5 3.5 A7 7 0 1 0 16.5 12.5 A6 6 0 0 1 13.5 3.5 Z",
    sun: "M10 6.5 A3.5 3.5 0 1 0 10 13.5 A3.5 3.5 0 1 0 10 6.5 M10 2 V4 M10 16 V18 M2 10 H4 M16 10 H18 M4.5 4.5 L5.8 5.8 M14.2 14.2 L15.5 15.5 M15.5 4.5 L14.2 5.8 M5.8 14.2 L4.5 15.5",
    reel: "M3 5 H17 V15 H3 Z M6 5 V15 M14 5 V15 M3 8.3 H6 M3 11.6 H6 M14 8.3 H17 M14 11.6 H17",
    versions: "M3.5 6.5 H12.5 V16.5 H3.5 Z M6 6.5 V4 H15 V14 H12.5 M8.5 4 V1.8 H17.2 V11.5 H15",
    up: "M10 16 V4 M10 4 L5.5 8.5 M10 4 L14.5 8.5",
    down: "M10 4 V16 M10 16 L5.5 11.5 M10 16 L14.5 11.5",
    left: "M16 10 H4 M4 10 L8.5 5.5 M4 10 L8.5 14.5",
    right: "M4 10 H16 M16 10 L11.5 5.5 M16 10 L11.5 14.5",
    close: "M5 5 L15 15 M15 5 L5 15",
    play: "M6 4 L16 10 L6 16 Z",
    stop: "M5.5 5.5 H14.5 V14.5 H5.5 Z",
    fold: "M16 4 V16 M12 10 H3 M3 10 L6.5 6.5 M3 10 L6.5 13.5",
    search: "M8.5 3.5 A5 5 0 1 0 8.5 13.5 A5 5 0 1 0 8.5 3.5 M12.2 12.2 L17 17",
    keys: "M7.2 7.4 A2.9 2.9 0 1 1 10.6 10.4 Q10 10.6 10 11.6 V12.4 M10 15.4 V15.6",
  } as const;
  export type IconName = keyof typeof ICONS;
</script>

<script lang="ts">
  let { name, size = 16 }: { name: IconName; size?: number } = $props();
</script>

<svg width={size} height={size} viewBox="0 0 20 20" aria-hidden="true">
  <path
    d={ICONS[name]}
    fill={name === "play" ? "currentColor" : "none"}
    stroke="currentColor"
    stroke-width="1.6"
    stroke-linecap="round"
    stroke-linejoin="round"
  />
</svg>
