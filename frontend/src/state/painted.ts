/** The values of the map that is drawn on, as they are now: kept here and nowhere else on the page. */
import { create } from "zustand";

export interface Painted {
  /** Which map of which garment, less which other, the values are of. */
  whose: string | null;
  values: Float32Array | null;
  /** The three vertices under the pointer. */
  under: readonly [number, number, number] | null;
}

export const NOTHING_PAINTED: Painted = { whose: null, values: null, under: null };

export const usePainted = create<Painted>(() => NOTHING_PAINTED);

/** The value under the pointer: the mean of its triangle's corners. */
export function valueUnder({ values, under }: Painted): number | null {
  if (values === null || under === null) return null;
  return under.reduce((sum, corner) => sum + (values[corner] ?? 0), 0) / 3;
}
