/** The pointer on the cutting table: lights what is meant, chooses it, draws points. */
import type { Meant, Spot } from "../domain/sewing";
import type { Tool, Touch } from "./tool";

export interface TableHost {
  /** The place of the table under the pointer, mm; null beside it. */
  at(x: number, y: number): Spot | null;
  under(place: Spot): Meant | null;
  light(meant: Meant | null): void;
  choose(meant: Meant | null): void;
  /** Take a press at a place as the next point of a line that is being drawn; false while none is. */
  draw(place: Spot): boolean;
  /** Show that line as it would go on to a place; false while none is drawn. */
  lead(place: Spot): boolean;
  /** Forget the line that is being drawn. */
  drop(): void;
  /** Show a point moved by so much. */
  show(point: Extract<Meant, { kind: "point" }>, by: Spot): void;
  keep(point: Extract<Meant, { kind: "point" }>, by: Spot): void;
  /** Put a point on an edge. */
  add(edge: Extract<Meant, { kind: "edge" }>): void;
}

const STEP = 5; // mm that a move snaps to
const TWICE = 400; // ms between two presses on one place

export class TableTool implements Tool {
  host: TableHost | null = null;
  private drag: { point: Extract<Meant, { kind: "point" }>; from: Spot; by: Spot } | null = null;
  private last: { at: number; what: string } = { at: 0, what: "" };

  get steady(): boolean {
    return this.drag !== null;
  }

  press({ x, y }: Touch): boolean {
    const place = this.host?.at(x, y) ?? null;
    if (this.host === null || place === null) return false;
    if (this.host.draw(place)) return true;
    const meant = this.host.under(place);
    this.host.choose(meant);
    if (meant === null) return false;
    if (meant.kind === "point") this.drag = { point: meant, from: place, by: [0, 0] };
    if (meant.kind === "edge") {
      const [now, what] = [Date.now(), `${meant.piece} ${meant.run}`];
      if (now - this.last.at < TWICE && this.last.what === what) this.host.add(meant);
      this.last = { at: now, what };
    }
    return true;
  }

  move({ x, y, altKey }: Touch): void {
    const { drag, host } = this;
    if (host === null) return;
    const place = host.at(x, y);
    if (drag === null) {
      if (place !== null && host.lead(place)) return;
      host.light(place === null ? null : host.under(place));
      return;
    }
    if (place === null) return;
    const step = altKey ? 1 : STEP;
    const by: Spot = [Math.round((place[0] - drag.from[0]) / step) * step, Math.round((place[1] - drag.from[1]) / step) * step];
    if (by[0] === drag.by[0] && by[1] === drag.by[1]) return;
    drag.by = by;
    host.show(drag.point, by);
  }

  lift(): void {
    const { drag } = this;
    this.drag = null;
    if (drag !== null && (drag.by[0] !== 0 || drag.by[1] !== 0)) this.host?.keep(drag.point, drag.by);
  }

  cancel(): void {
    const { drag } = this;
    this.drag = null;
    if (drag !== null) this.host?.show(drag.point, [0, 0]);
    else this.host?.drop();
  }
}
