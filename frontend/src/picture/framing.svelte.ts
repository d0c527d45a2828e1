/** How the plate lies in its room on the screen: fitted, or zoomed in on a place. */
import type { Pinch } from "../lib/fingers";
import type { Point } from "./strokes";

export class Framing {
  room = $state.raw({ width: 784, height: 490 });
  /** Screen pixels of a plate pixel; 0 fits the plate into the room. */
  zoom = $state(0);
  /** The place in the middle of the room, as shares of the plate, where it is zoomed. */
  centre = $state.raw<Point>([0.5, 0.5]);

  /** plate: the plate's size in pixels. box: the element that it lies in. */
  constructor(
    private plate: () => { width: number; height: number },
    private box: () => HTMLElement,
  ) {}

  get fit(): number {
    const { width, height } = this.plate();
    return Math.min((this.room.width - 2) / width, (this.room.height - 2) / height);
  }

  get scale(): number {
    return this.zoom || this.fit;
  }

  get width(): number {
    return this.plate().width * this.scale;
  }

  get height(): number {
    return this.plate().height * this.scale;
  }

  get left(): number {
    const { room, zoom, centre } = this;
    return zoom ? room.width / 2 - centre[0] * this.width : (room.width - this.width) / 2;
  }

  get top(): number {
    const { room, zoom, centre } = this;
    return zoom ? room.height / 2 - centre[1] * this.height : (room.height - this.height) / 2;
  }

  /** Where a pointer is, in plate pixels. */
  at(event: { clientX: number; clientY: number }): Point {
    const bounds = this.box().getBoundingClientRect();
    return [
      (event.clientX - bounds.left - this.left) / this.scale,
      (event.clientY - bounds.top - this.top) / this.scale,
    ];
  }

  /** Moves the picture by screen pixels from where its middle was. */
  pan(from: Point, dx: number, dy: number): void {
    if (!this.zoom) this.zoom = this.fit;
    this.centre = [from[0] - dx / this.width, from[1] - dy / this.height];
  }

  /** Full size, about where it was zoomed to. */
  full(): void {
    if (!this.zoom) this.centre = [0.5, 0.5];
    this.zoom = 1;
  }

  /** Zooms about the place under the pointer. */
  wheel(event: WheelEvent): void {
    event.preventDefault();
    const next = this.about(event, event.deltaY < 0 ? 1.2 : 1 / 1.2);
    if (Math.abs(next - this.fit) / this.fit < 0.05) this.zoom = 0;
  }

  /** Two fingers: the place between them stays between them. */
  pinch({ x, y, by, dx, dy }: Pinch): void {
    this.about({ clientX: x - dx, clientY: y - dy }, by);
    this.pan(this.centre, dx, dy);
  }

  /** Zooms by a factor about a place on the screen; the new scale. */
  private about(place: { clientX: number; clientY: number }, by: number): number {
    const before = this.at(place);
    const bounds = this.box().getBoundingClientRect();
    const { width, height } = this.plate();
    const next = Math.max(this.fit * 0.5, Math.min(16, this.scale * by));
    this.zoom = next;
    const [x, y] = [place.clientX - bounds.left, place.clientY - bounds.top];
    this.centre = [
      (before[0] + (this.room.width / 2 - x) / next) / width,
      (before[1] + (this.room.height / 2 - y) / next) / height,
    ];
    return next;
  }
}
