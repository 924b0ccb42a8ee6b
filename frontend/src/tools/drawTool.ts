/** Drawing around something: a line or a box from press to lift. */
import type { Tool, Touch } from "./tool";

const EACH = 0.004; // share of the canvas between two corners of what is drawn

export type Place = readonly [number, number];

export interface DrawHost {
  /** What is drawn so far, in shares of the canvas; empty when nothing is. */
  drawn(places: readonly Place[]): void;
  /** The line is closed: its corners on a plane of -1 to 1. */
  around(corners: [number, number][], keys: Pick<Touch, "shiftKey" | "altKey">): void;
}

export class DrawTool implements Tool {
  readonly steady = true;
  shape: "lasso" | "box" = "lasso";
  private places: readonly Place[] = [];

  constructor(public host: DrawHost) {}

  press({ x, y }: Touch): boolean {
    this.set([[x, y]]);
    return true;
  }

  move({ x, y }: Touch): void {
    const [start] = this.places;
    const last = this.places.at(-1);
    if (start === undefined || last === undefined) return;
    if (this.shape === "box") this.set([start, [x, start[1]], [x, y], [start[0], y]]);
    else if (Math.hypot(x - last[0], y - last[1]) > EACH) this.set([...this.places, [x, y]]);
  }

  lift(at: Touch): void {
    const { places } = this;
    this.set([]);
    if (places.length > 2) this.host.around(places.map(([x, y]): [number, number] => [2 * x - 1, 1 - 2 * y]), at);
  }

  cancel(): void {
    this.set([]);
  }

  private set(places: readonly Place[]): void {
    this.places = places;
    this.host.drawn(places);
  }
}
