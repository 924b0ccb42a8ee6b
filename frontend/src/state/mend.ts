/** The Mend bench of this page: the snag looked at, the region drawn, what is flicked to. */
import { create } from "zustand";

/** Cloth of one garment that was drawn around: its vertices. */
export interface DrawnRegion {
  garment: string;
  vertices: number[];
}

export interface Mend {
  /** The key of the snag at hand. */
  snag: string | null;
  /** The remedy whose proof is shown. */
  remedy: number | null;
  /** While B is held: the take as it was before. */
  before: boolean;
  /** Before and after stand side by side. */
  beside: boolean;
  /** What a press on the stage does: draw around cloth, brush over it, or nothing. */
  drawing: "around" | "brush" | null;
  /** Radius of the brush, mm. */
  brush: number;
  region: DrawnRegion | null;
  /** Frames from first to last that are mended, where they are not the snag's own. */
  span: readonly [number, number] | null;
  set(change: Partial<Omit<Mend, "set">>): void;
}

export const useMend = create<Mend>((set) => ({ snag: null, remedy: null, before: false, beside: false, drawing: null, brush: 40, region: null, span: null, set }));
