/** Moving a handle by its knobs, in steps unless Alt is held. */
import { type Knob, MOVE_STEP, TURN_STEP } from "../stage/marks/handleMark";
import type { Tool, Touch } from "./tool";

export interface HandleHost {
  knobAt(x: number, y: number): Knob | null;
  /** Where along (m) or about (degrees) the knob's axis a place on the canvas points. */
  reading(knob: Knob, x: number, y: number): number | null;
  /** The value that the knob changes, as it is now. */
  value(knob: Knob): number;
  /** Stand the handle where it would be with that value. */
  show(knob: Knob, value: number): void;
  keep(knob: Knob, value: number): void;
}

interface Drag {
  knob: Knob;
  from: number;
  before: number;
  now: number;
}

export class HandleTool implements Tool {
  readonly steady = true;
  /** None when no handle stands on the stage. */
  host: HandleHost | null = null;
  private drag: Drag | null = null;

  press({ x, y }: Touch): boolean {
    const { host } = this;
    const knob = host?.knobAt(x, y) ?? null;
    if (host === null || knob === null) return false;
    const from = host.reading(knob, x, y);
    if (from === null) return false;
    const before = host.value(knob);
    this.drag = { knob, from, before, now: before };
    return true;
  }

  move({ x, y, altKey }: Touch): void {
    const { drag, host } = this;
    const here = drag === null ? null : (host?.reading(drag.knob, x, y) ?? null);
    if (drag === null || here === null) return;
    const step = drag.knob.turns ? TURN_STEP : MOVE_STEP;
    const next = drag.before + here - drag.from;
    drag.now = Number((altKey ? next : Math.round(next / step) * step).toFixed(4));
    host?.show(drag.knob, drag.now);
  }

  lift(): void {
    const { drag } = this;
    this.drag = null;
    if (drag !== null && drag.now !== drag.before) this.host?.keep(drag.knob, drag.now);
  }

  cancel(): void {
    const { drag } = this;
    this.drag = null;
    if (drag !== null) this.host?.show(drag.knob, drag.before);
  }
}
