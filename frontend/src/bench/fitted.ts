/** Lays what an element holds out in as few columns as its height allows, each as wide as there is room for. */

export const GAP = 18; // pixels
const WIDEST = 420; // of a column
const NARROWEST = 225; // below which a slider has no room
const DRAWN = 200; // the same where there is none, but curves

/** How many columns of at least the narrowest find room in a width. */
export function room(width: number, narrowest = NARROWEST): number {
  return Math.max(1, Math.floor((width + GAP) / (narrowest + GAP)));
}

/** The first count of columns with which nothing is left over to the side; null where not even the most suffice. */
export function fewest(fits: (columns: number) => boolean, most: number): number | null {
  for (let n = 1; n <= most; n++) if (fits(n)) return n;
  return null;
}

/**
 * As a Svelte attachment, on an element that fills one which scrolls. It looks anew whenever the size or the content
 * changes. Where no count of columns suffices they are even, and what is too high is scrolled to.
 */
export function fitted(element: HTMLElement): () => void {
  let waiting = 0;

  function lay(columns: number, height: string): void {
    element.style.columns = `auto ${columns}`;
    element.style.maxWidth = `${columns * WIDEST + (columns - 1) * GAP}px`;
    element.style.height = height;
    element.style.columnFill = height === "100%" ? "auto" : "balance";
  }

  function look(): void {
    waiting = 0;
    const slides = element.querySelector("[data-slider-root]") !== null;
    const most = room(element.parentElement!.clientWidth, slides ? NARROWEST : DRAWN);
    const fits = (n: number) => (lay(n, "100%"), element.scrollWidth <= element.clientWidth + 1);
    if (fewest(fits, most) === null) lay(most, "auto");
  }

  const soon = () => (waiting ||= requestAnimationFrame(look));
  const sizes = new ResizeObserver(soon);
  sizes.observe(element.parentElement!);
  const content = new MutationObserver(soon);
  content.observe(element, { childList: true, subtree: true });
  look();
  return () => {
    cancelAnimationFrame(waiting);
    sizes.disconnect();
    content.disconnect();
  };
}
