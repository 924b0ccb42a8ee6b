/** Pointing at a border of the garment: it lights up under the pointer, and a press that does not move takes it. */
import type { Tool, Touch } from "./tool";

const STILL = 0.006; // share of the canvas that a press may move and still be a press

export interface PointHost {
  /** The border under a place on the canvas, or none. */
  borderAt(x: number, y: number): Promise<number | null>;
  light(border: number | null): void;
  take(border: number): void;
  failed(error: unknown): void;
}

export class PointTool implements Tool {
  readonly steady = false; // a drag turns the camera
  private pressed: Touch | null = null;
  private asking = false;

  constructor(public host: PointHost) {}

  press(at: Touch): boolean {
    this.pressed = at;
    return true;
  }

  move({ x, y }: Touch): void {
    // One question at a time: the next move asks again.
    if (this.asking || this.pressed !== null) return;
    this.asking = true;
    const { host } = this;
    host
      .borderAt(x, y)
      .then((border) => {
        host.light(border);
      })
      .catch(() => undefined)
      .finally(() => {
        this.asking = false;
      });
  }

  lift({ x, y }: Touch): void {
    const from = this.pressed;
    this.pressed = null;
    if (from === null || Math.hypot(x - from.x, y - from.y) > STILL) return;
    const { host } = this;
    host
      .borderAt(x, y)
      .then((border) => {
        if (border !== null) host.take(border);
      })
      .catch(host.failed);
  }

  cancel(): void {
    this.pressed = null;
  }
}
