/** Drawing around something on the stage: a line or a box from press to lift, in shares of the canvas. */
import { useEffect, useRef, useState } from "react";
import type { Stage } from "./stage";

const EACH = 0.004; // share of the canvas between two corners of what is drawn

type Place = readonly [number, number];

/** Shift adds to what is chosen, Alt takes away from it. */
export interface Keys {
  shiftKey: boolean;
  altKey: boolean;
}

export interface Drawing {
  drawn: readonly Place[];
  /** Whether something is being drawn. */
  going(): boolean;
  press(x: number, y: number): void;
  point(x: number, y: number): void;
  lift(keys: Keys): void;
}

/** `around` hears the corners on a plane of -1 to 1 when the line is closed. */
export function useDrawing(stage: Stage | null, tool: "lasso" | "box" | null, around: (corners: [number, number][], keys: Keys) => void): Drawing {
  const [drawn, setDrawn] = useState<readonly Place[]>([]);
  const from = useRef<Place | null>(null);
  useEffect(() => stage?.turnByDragging(tool === null), [stage, tool]);
  return {
    drawn,
    going: () => from.current !== null,
    press(x, y) {
      from.current = [x, y];
      setDrawn([[x, y]]);
    },
    point(x, y) {
      const start = from.current;
      if (start === null) return;
      const last = drawn.at(-1) ?? start;
      if (tool === "box") setDrawn([start, [x, start[1]], [x, y], [start[0], y]]);
      else if (Math.hypot(x - last[0], y - last[1]) > EACH) setDrawn([...drawn, [x, y]]);
    },
    lift(keys) {
      from.current = null;
      setDrawn([]);
      if (drawn.length > 2) around(drawn.map(([x, y]): [number, number] => [2 * x - 1, 1 - 2 * y]), keys);
    },
  };
}
