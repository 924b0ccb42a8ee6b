/** Values shown on what stands there: a look's, of takes; a map's; an understudy's; and places that are lit. */
import { floats, part } from "../api/client";
import type { Look } from "../state/room";
import type { Worn } from "./description";
import type { Stage } from "./stage";

export interface Range {
  low: number;
  high: number;
}

export const RANGES: Record<"stretch" | "closeness", Range> = {
  stretch: { low: 0, high: 0.05 },
  closeness: { low: 0.02, high: 0 }, // near is dark
};

/** Values per vertex, and which of them are shown undyed and darkest. */
export interface DrawnValues extends Range {
  values: Float32Array;
}

/** Values of maps by garment. */
export type Drawn = ReadonlyMap<string, DrawnValues>;

export const NOTHING_DRAWN: Drawn = new Map();

export class Shades {
  private look: Look = "cloth";
  private drawn: Drawn = NOTHING_DRAWN;
  private readonly chalked = new Set<string>();
  private readonly looked = new Map<string, Float32Array | null>();
  private marks: { member: string | null; marks: Map<number, Uint32Array> | null } = { member: null, marks: null };

  constructor(
    private readonly stage: Stage,
    private readonly told: { failed(error: unknown): void; arrived(frame: number): void },
  ) {}

  setLook(look: Look): void {
    this.look = look;
    this.stage.cloths.setLook(look);
  }

  setDrawn(drawn: Drawn): void {
    this.drawn = drawn;
  }

  /** Draw maps on the cloths that stand there, and take them off those that have none. */
  chalk(standing: Iterable<readonly [string, string]>): void {
    for (const [key, garment] of standing) {
      const drawn = this.drawn.get(garment);
      // What never had a map keeps the shades of its own look.
      if (drawn !== undefined) this.chalked.add(key);
      else if (!this.chalked.delete(key)) continue;
      this.stage.cloths.chalk(key, drawn?.values ?? null, drawn?.low, drawn?.high);
    }
  }

  /** Light the places of a member that are marked at each frame, of nobody without a name. */
  setMarks(member: string | null, marks: Map<number, Uint32Array> | null): void {
    const before = this.marks.member;
    this.marks = { member, marks };
    if (before !== null && before !== member) this.stage.bodies.mark(before, null);
  }

  mark(frame: number): void {
    if (this.marks.member !== null) this.stage.bodies.mark(this.marks.member, this.marks.marks?.get(frame) ?? null);
  }

  body(name: string, { path, high }: { path: string; high: number }): void {
    floats(path)
      .then(({ values }) => {
        this.stage.bodies.shade(name, values, 0, high);
      })
      .catch(this.told.failed);
  }

  /** The look's values of a take's cloth at a frame, now or when they have come. */
  cloth(key: string, worn: Worn, frame: number): void {
    const look = this.look;
    if ((look !== "stretch" && look !== "closeness") || worn.take === null) return;
    const name = `${look} ${worn.take} ${worn.garment} ${frame}`;
    const found = this.looked.get(name);
    if (found) {
      this.stage.cloths.shade(key, found, RANGES[look].low, RANGES[look].high);
      return;
    }
    if (found === null) return; // on its way
    this.looked.set(name, null);
    floats(`/api/takes/${worn.take}/garments/${part(worn.garment)}/look/${look}/${frame}`)
      .then(({ values }) => {
        this.looked.set(name, values);
        this.told.arrived(frame);
      })
      .catch(() => {
        this.looked.delete(name);
      });
  }
}
