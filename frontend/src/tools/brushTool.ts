/** Brushing over cloth: vertices near the pointer are added to a region, or with Alt taken out of it. */
import type { ClothHit } from "../stage/picking";
import type { DrawnRegion } from "../state/mend";
import type { Tool, Touch } from "./tool";

export interface BrushHost {
  /** Where the pointer meets a garment, the nearest one; null beside all. */
  at(x: number, y: number): { garment: string; hit: ClothHit } | null;
  /** A garment's vertices as they stand, x y z each, m. */
  points(garment: string): Float32Array;
  /** Radius, m. */
  radius(): number;
  /** The region as it was when the stroke began. */
  region(): DrawnRegion | null;
  ring(hit: ClothHit | null): void;
  brushed(region: DrawnRegion | null): void;
}

export class BrushTool implements Tool {
  readonly steady = true;
  private before: DrawnRegion | null = null;
  private stroke: { garment: string; vertices: Set<number> } | null = null;

  constructor(public host: BrushHost) {}

  press(at: Touch): boolean {
    const found = this.host.at(at.x, at.y);
    if (found === null) return false;
    this.before = this.host.region();
    const own = this.before?.garment === found.garment ? this.before.vertices : [];
    this.stroke = { garment: found.garment, vertices: new Set(own) };
    this.over(at);
    return true;
  }

  move(at: Touch): void {
    if (this.stroke === null) this.host.ring(this.host.at(at.x, at.y)?.hit ?? null);
    else this.over(at);
  }

  lift(): void {
    this.stroke = null;
    this.host.ring(null);
  }

  cancel(): void {
    if (this.stroke === null) return;
    this.stroke = null;
    this.host.ring(null);
    this.host.brushed(this.before);
  }

  private over({ x, y, altKey }: Touch): void {
    const { stroke, host } = this;
    const found = host.at(x, y);
    host.ring(found?.hit ?? null);
    if (stroke === null || found?.garment !== stroke.garment) return;
    for (const vertex of near(host.points(stroke.garment), found.hit.place, host.radius())) {
      if (altKey) stroke.vertices.delete(vertex);
      else stroke.vertices.add(vertex);
    }
    host.brushed({ garment: stroke.garment, vertices: [...stroke.vertices].sort((a, b) => a - b) });
  }
}

/** Vertices of points, x y z each, that lie within a radius of a place. */
export function near(points: Float32Array, [x, y, z]: readonly [number, number, number], radius: number): number[] {
  const out: number[] = [];
  for (let v = 0; v < points.length / 3; v += 1) {
    const [a, b, c] = [(points[3 * v] ?? 0) - x, (points[3 * v + 1] ?? 0) - y, (points[3 * v + 2] ?? 0) - z];
    if (a * a + b * b + c * c <= radius * radius) out.push(v);
  }
  return out;
}
