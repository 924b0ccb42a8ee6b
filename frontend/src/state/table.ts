/** What is meant, chosen and lit of the pattern on the table. */
import { create } from "zustand";
import type { Meant, OnOutline, Spot } from "../domain/sewing";

export interface TableState {
  lit: Meant | null;
  chosen: Meant | null;
  /** The seam that is lit, by its number. */
  seam: number | null;
  /** The edge that a new seam begins with, while its other side is being chosen. */
  sewing: readonly [string, string] | null;
  /** The piece that is being cut along a line, and where the line begins once that is chosen. */
  cutting: { piece: string; from: OnOutline | null } | null;
  /** The piece that a line is being drawn on, and its points so far, mm. */
  lining: { piece: string; points: readonly Spot[] } | null;
  /** The measure whose tape is shown on the figure; "all" for every one. */
  measure: string | null;
  /** Whether what mirrors a point moves with it. */
  mirrored: boolean;
  set(change: Partial<Omit<TableState, "set">>): void;
}

export const useTable = create<TableState>((set) => ({ lit: null, chosen: null, seam: null, sewing: null, cutting: null, lining: null, measure: null, mirrored: true, set }));
