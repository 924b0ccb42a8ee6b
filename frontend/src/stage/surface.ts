/** A triangle mesh that moves: positions and smooth normals in buffers that are written in place. */
import { Box3, BufferAttribute, BufferGeometry, DynamicDrawUsage } from "three";

export class Surface {
  readonly geometry = new BufferGeometry();
  private readonly triangles: Uint32Array;

  /** Three vertices for each triangle. */
  get corners(): Uint32Array {
    return this.triangles;
  }

  private readonly positions: Float32Array;
  private readonly normals: Float32Array;
  private readonly colours: Float32Array;
  private readonly chalk: Float32Array;
  private shown: Float32Array | null = null;

  constructor(triangles: Uint32Array, rest: Float32Array) {
    this.triangles = triangles;
    this.positions = new Float32Array(rest.length);
    this.normals = new Float32Array(rest.length);
    this.colours = new Float32Array(rest.length).fill(1);
    this.chalk = new Float32Array(rest.length / 3);
    this.geometry.setAttribute("chalk", new BufferAttribute(this.chalk, 1).setUsage(DynamicDrawUsage));
    this.geometry.setIndex(new BufferAttribute(triangles, 1));
    for (const [name, array] of [
      ["position", this.positions],
      ["normal", this.normals],
      ["color", this.colours],
    ] as const) {
      const attribute = new BufferAttribute(array, 3);
      attribute.setUsage(DynamicDrawUsage);
      this.geometry.setAttribute(name, attribute);
    }
    this.show(rest);
  }

  get count(): number {
    return this.positions.length / 3;
  }

  /** Where the points are now, x y z each. */
  get points(): Float32Array {
    return this.positions;
  }

  /** Move every point; false when they stand there already or are not as many. */
  show(positions: Float32Array): boolean {
    if (positions === this.shown || positions.length !== this.positions.length) return false;
    this.shown = positions;
    this.positions.set(positions);
    smoothNormals(this.triangles, this.positions, this.normals);
    this.mark("position");
    this.mark("normal");
    this.geometry.computeBoundingSphere();
    return true;
  }

  /** Vertices of some triangles, with repeats. */
  verticesOf(triangles: Uint32Array): number[] {
    return [...triangles].flatMap((t) => [...this.triangles.subarray(3 * t, 3 * t + 3)]);
  }

  /** Colour every vertex by `pick` (linear r g b written at the given place), or white without it. */
  colour(pick: ((vertex: number, out: Float32Array, at: number) => void) | null): void {
    if (pick === null) this.colours.fill(1);
    else for (let v = 0; v < this.count; v += 1) pick(v, this.colours, 3 * v);
    this.mark("color");
  }

  /** A map's values from `low` to `high`, between which lines of equal value are drawn. */
  draw(values: Float32Array, low: number, high: number): void {
    for (let v = 0; v < this.count; v += 1) this.chalk[v] = ((values[v] as number) - low) / (high - low);
    this.mark("chalk");
  }

  private mark(name: string): void {
    const attribute = this.geometry.getAttribute(name);
    if (attribute instanceof BufferAttribute) attribute.needsUpdate = true;
  }

  dispose(): void {
    this.geometry.dispose();
  }
}

/** Around points x y z each. */
export function boxOf(points: Float32Array): Box3 {
  return new Box3().setFromArray(points as unknown as number[]);
}

/** Area-weighted vertex normals; a vertex without area gets none. */
export function smoothNormals(triangles: Uint32Array, p: Float32Array, out: Float32Array): void {
  out.fill(0);
  for (let t = 0; t < triangles.length; t += 3) {
    const a = 3 * (triangles[t] as number);
    const b = 3 * (triangles[t + 1] as number);
    const c = 3 * (triangles[t + 2] as number);
    const ax = p[a] as number;
    const ay = p[a + 1] as number;
    const az = p[a + 2] as number;
    const ux = (p[b] as number) - ax;
    const uy = (p[b + 1] as number) - ay;
    const uz = (p[b + 2] as number) - az;
    const vx = (p[c] as number) - ax;
    const vy = (p[c + 1] as number) - ay;
    const vz = (p[c + 2] as number) - az;
    const nx = uy * vz - uz * vy;
    const ny = uz * vx - ux * vz;
    const nz = ux * vy - uy * vx;
    for (const at of [a, b, c]) {
      out[at] = (out[at] as number) + nx;
      out[at + 1] = (out[at + 1] as number) + ny;
      out[at + 2] = (out[at + 2] as number) + nz;
    }
  }
  for (let v = 0; v < out.length; v += 3) {
    const x = out[v] as number;
    const y = out[v + 1] as number;
    const z = out[v + 2] as number;
    const length = Math.hypot(x, y, z);
    if (length === 0) continue;
    out[v] = x / length;
    out[v + 1] = y / length;
    out[v + 2] = z / length;
  }
}
