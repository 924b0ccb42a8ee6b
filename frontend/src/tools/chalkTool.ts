/** Drawing a map on the cloth: strokes of a brush, of which the desk says at once what they do, or a line to shade
 * along.
 */
import type { StepRecord, StrokeRecord } from "../api/client";
import type { Brush } from "../domain/chalk";
import type { ClothHit } from "../stage/picking";
import type { Tool, Touch } from "./tool";

const EACH = 0.2; // of the brush's radius between two hits
const LEAP = 0.008; // share of the canvas that the pointer may go without a look at the cloth between
const SHORTEST = 0.002; // m of a line that is meant
const MOST = 40; // looks between two places of the pointer

type Hit = StrokeRecord["hits"][number];

/** What is drawn on, and with what. */
export interface ChalkSheet {
  /** Of whose values the answers are. */
  whose: string;
  /** The map's address. */
  path: string;
  brush: Brush;
  /** A line's values at its start and its end; null for the brush. */
  line: readonly [number, number] | null;
  /** While a map is compared with another nothing is drawn. */
  compared: boolean;
}

export interface ChalkHost {
  clothAt(x: number, y: number): ClothHit | null;
  /** The pointer is over the cloth there, or beside it. */
  over(at: ClothHit | null, ring: boolean): void;
  showLine(ends: readonly [ClothHit["place"], ClothHit["place"]] | null): void;
  /** What hits of a stroke that is under way do: the map's values with them. */
  paint(path: string, stroke: StrokeRecord, going: string): Promise<Float32Array>;
  painted(whose: string, values: Float32Array): void;
  keep(step: StepRecord): void;
  /** A line was drawn: the next drag is the brush's again. */
  lined(): void;
  /** A stroke was left: show the map without it. */
  left(): void;
  failed(error: unknown): void;
}

interface Going {
  name: string;
  sheet: ChalkSheet;
  at: readonly [number, number];
  hits: Hit[];
  sent: number;
  asking: boolean;
}

export class ChalkTool implements Tool {
  readonly steady = true;
  sheet: ChalkSheet | null = null;
  private going: Going | null = null;
  /** The stroke whose values are shown until those of the shot that holds it come. */
  private latest: Going | null = null;
  private lining: { from: ClothHit; to: ClothHit } | null = null;
  private strokes = 0;

  /** `page`: no other page's strokes have this name before theirs. */
  constructor(
    public host: ChalkHost,
    private readonly page: string,
  ) {}

  /** Whether a stroke is under way, whose values must stay. */
  get drawing(): boolean {
    return this.going !== null;
  }

  /** The shot's own values have come: those of older strokes are not shown any more. */
  arrived(): void {
    this.latest = null;
  }

  press({ x, y, pressure }: Touch): boolean {
    const { sheet } = this;
    if (sheet === null) return false;
    const at = this.host.clothAt(x, y);
    if (at === null || sheet.compared) return true;
    if (sheet.line !== null) {
      this.lining = { from: at, to: at };
      return true;
    }
    this.strokes += 1;
    this.going = { name: `${this.page} ${Date.now()} ${this.strokes}`, sheet, at: [x, y], hits: [], sent: 0, asking: false };
    this.latest = this.going;
    this.hear(at, pressure);
    return true;
  }

  move({ x, y, pressure }: Touch): void {
    const { sheet, going, lining } = this;
    if (sheet === null) return;
    const at = this.host.clothAt(x, y);
    this.host.over(at, !sheet.compared && sheet.line === null);
    if (lining !== null && at !== null) {
      lining.to = at;
      this.host.showLine([lining.from.place, at.place]);
    }
    if (going === null) return;
    const [fromX, fromY] = going.at;
    const looks = Math.min(MOST, Math.ceil(Math.hypot(x - fromX, y - fromY) / LEAP));
    for (let k = 1; k < looks; k += 1) {
      this.hear(this.host.clothAt(fromX + (k / looks) * (x - fromX), fromY + (k / looks) * (y - fromY)), pressure);
    }
    going.at = [x, y];
    this.hear(at, pressure);
  }

  // The stroke is kept as soon as it is over, before anything that is done after it, whatever is still being read.
  lift(): void {
    const { going, lining } = this;
    this.going = null;
    if (lining !== null) this.shadeAlong(lining);
    if (going !== null && going.hits.length > 0) this.host.keep({ kind: "stroke", ...going.sheet.brush, hits: going.hits, file: null });
  }

  cancel(): void {
    const begun = this.going !== null;
    this.going = this.latest = this.lining = null;
    this.host.showLine(null);
    if (begun) this.host.left();
  }

  private hear(at: ClothHit | null, pressure: number): void {
    const { going } = this;
    if (going === null || at === null) return;
    const last = going.hits.at(-1);
    const away = last === undefined ? Infinity : Math.hypot(last[0] - at.place[0], last[1] - at.place[1], last[2] - at.place[2]);
    if (away < (EACH * going.sheet.brush.radius_mm) / 1000) return;
    going.hits.push(hitOf(at, pressure));
    this.ask(going);
  }

  private ask(stroke: Going): void {
    if (stroke.asking || stroke.sent === stroke.hits.length) return;
    const hits = stroke.hits.slice(stroke.sent);
    stroke.sent = stroke.hits.length;
    stroke.asking = true;
    this.host
      .paint(stroke.sheet.path, { ...stroke.sheet.brush, hits }, stroke.name)
      .then((values) => {
        // Older values than those shown come late: they are of another stroke, or the shot itself has come.
        if (this.latest === stroke) this.host.painted(stroke.sheet.whose, values);
      })
      .catch(this.host.failed)
      .finally(() => {
        stroke.asking = false;
        if (this.latest === stroke) this.ask(stroke);
      });
  }

  private shadeAlong({ from, to }: { from: ClothHit; to: ClothHit }): void {
    this.lining = null;
    this.host.showLine(null);
    const line = this.sheet?.line ?? null;
    if (line === null) return;
    const [start, end] = [rounded(from.place), rounded(to.place)];
    if (Math.hypot(start[0] - end[0], start[1] - end[1], start[2] - end[2]) < SHORTEST) return;
    this.host.lined();
    this.host.keep({ kind: "along", start, end, values: [...line] as [number, number] });
  }
}

function rounded(place: ClothHit["place"]): [number, number, number] {
  return place.map((value) => Math.round(value * 1e4) / 1e4) as [number, number, number];
}

/** As the shot keeps it: places to a tenth of a millimetre. */
function hitOf({ place, facing }: ClothHit, pressure: number): Hit {
  const [x, y, z] = rounded(place);
  const [a, b, c] = facing.map((value) => Math.round(value * 1e2) / 1e2) as [number, number, number];
  return [x, y, z, a, b, c, Math.round(Math.min(1, Math.max(0, pressure)) * 1e2) / 1e2];
}
