/** What a run is likely to cost, from how long frames took before. */
import { count, span } from "./words";

export interface Pace {
  own: boolean;
  patience: string;
  seconds: number;
  vertices: number;
}

export interface Cost {
  /** Seconds for each frame, and for all of them. */
  frame: number;
  whole: number;
  /** What it is reckoned from, in words. */
  from: string;
}

/** Steps that a patience takes for each of First look's. */
const STEPS: Record<string, number> = { "first-look": 1, working: 2, final: 4 };
const ENOUGH = 3; // takes that the middle pace is taken of

/**
 * What `frames` frames of cloth with `vertices` vertices cost at a patience: the middle pace of the latest takes of
 * this shot at that patience, else of other shots, else of another patience by its steps; in proportion to the
 * vertices. Null where nothing was ever measured.
 */
export function costOf(paces: readonly Pace[], vertices: number, frames: number, patience: string): Cost | null {
  const same = paces.filter((one) => one.patience === patience);
  const own = same.filter((one) => one.own);
  const used = (own.length > 0 ? own : same.length > 0 ? same : paces).slice(0, ENOUGH);
  const rates = used.map((one) => ((one.seconds / one.vertices) * (STEPS[patience] ?? 1)) / (STEPS[one.patience] ?? 1)).sort((a, b) => a - b);
  const rate = rates[Math.floor((rates.length - 1) / 2)];
  if (rate === undefined || vertices === 0) return null;
  const of = own.length > 0 ? "this shot" : "other shots";
  const from = same.length > 0 ? `${count(used.length, "take")} of ${of}` : `${count(used.length, "take")} at another patience`;
  return { frame: rate * vertices, whole: rate * vertices * frames, from };
}

/** "0.3 s a frame, 50 s in all". */
export function costSaid({ frame, whole }: Cost): string {
  return `${frame < 10 ? frame.toFixed(1) : Math.round(frame)}\u00a0s a frame, ${span(whole)} in all`;
}
