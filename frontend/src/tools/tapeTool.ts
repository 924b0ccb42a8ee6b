/** Drawing a tape or a hem up, down or outwards, in steps unless Alt is held. */
import type { Tool, Touch } from "./tool";

/** How far a tape was drawn, mm: one of the two is 0. */
export interface TapeMove {
  up: number;
  out: number;
}

export interface TapeHost<Place> {
  at(x: number, y: number): { name: string; place: Place } | null;
  /** How far from there a place on the canvas points, m. */
  drawn(name: string, from: Place, x: number, y: number): { up: number; out: number } | null;
  /** Light the tape under the pointer. */
  light(name: string | null): void;
  /** Show the tape where it would be. */
  show(name: string, move: TapeMove): void;
  keep(name: string, move: TapeMove): void;
}

export const STEP = 5; // mm that a move snaps to
const BEGUN = 6; // mm after which it is plain which way a drag goes

export class TapeTool<Place> implements Tool {
  host: TapeHost<Place> | null = null;
  private drag: { name: string; from: Place; way: "up" | "out" | null; now: TapeMove } | null = null;

  /** Dragging turns the camera but for a drag that has a tape. */
  get steady(): boolean {
    return this.drag !== null;
  }

  press({ x, y }: Touch): boolean {
    const found = this.host?.at(x, y) ?? null;
    if (found === null) return false;
    this.drag = { name: found.name, from: found.place, way: null, now: { up: 0, out: 0 } };
    return true;
  }

  move({ x, y, altKey }: Touch): void {
    const { drag, host } = this;
    if (host === null) return;
    if (drag === null) {
      host.light(host.at(x, y)?.name ?? null);
      return;
    }
    const far = host.drawn(drag.name, drag.from, x, y);
    if (far === null) return;
    const [up, out] = [far.up * 1000, far.out * 1000];
    if (drag.way === null && Math.max(Math.abs(up), Math.abs(out)) > BEGUN) drag.way = Math.abs(out) > Math.abs(up) ? "out" : "up";
    if (drag.way === null) return;
    const step = altKey ? 1 : STEP;
    const value = Math.round((drag.way === "up" ? up : out) / step) * step;
    drag.now = drag.way === "up" ? { up: value, out: 0 } : { up: 0, out: value };
    host.show(drag.name, drag.now);
  }

  lift(): void {
    const { drag } = this;
    this.drag = null;
    if (drag !== null && (drag.now.up !== 0 || drag.now.out !== 0)) this.host?.keep(drag.name, drag.now);
  }

  cancel(): void {
    const { drag } = this;
    this.drag = null;
    if (drag !== null) this.host?.show(drag.name, { up: 0, out: 0 });
  }
}
