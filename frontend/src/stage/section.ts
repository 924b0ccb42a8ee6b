/** A plane through a place: where it cuts cloth and bodies, as lines in that plane. */
import { type Camera, Vector3 } from "three";

/** x1 y1 x2 y2 of each cut triangle, m from the place: across to the right, and towards the eye upwards. */
export type Segments = number[];

export interface Section {
  cloth: Segments;
  body: Segments;
}

export interface Axes {
  across: Vector3;
  towards: Vector3;
  normal: Vector3;
}

/** The level cut as the camera sees it: its normal is up for the eye, so that depth along the sight is drawn. */
export function axesOf(camera: Camera): Axes {
  camera.updateMatrixWorld();
  const across = new Vector3().setFromMatrixColumn(camera.matrixWorld, 0).normalize();
  const towards = new Vector3().setFromMatrixColumn(camera.matrixWorld, 2).normalize();
  return { across, towards, normal: new Vector3().setFromMatrixColumn(camera.matrixWorld, 1).normalize() };
}

/** Cut triangles of points (x y z each) within `radius` m of a place. */
export function cut(points: Float32Array, triangles: Uint32Array, place: Vector3, radius: number, { across, towards, normal }: Axes): Segments {
  const out: Segments = [];
  const heights = new Float32Array(points.length / 3);
  const reach = 1.5 * radius;
  for (let v = 0; v < heights.length; v += 1) {
    const x = (points[3 * v] as number) - place.x;
    const y = (points[3 * v + 1] as number) - place.y;
    const z = (points[3 * v + 2] as number) - place.z;
    heights[v] = Math.abs(x) > reach || Math.abs(y) > reach || Math.abs(z) > reach ? NaN : x * normal.x + y * normal.y + z * normal.z;
  }
  const at = new Vector3();
  const corner = (v: number) => new Vector3((points[3 * v] as number) - place.x, (points[3 * v + 1] as number) - place.y, (points[3 * v + 2] as number) - place.z);
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [triangles[t] as number, triangles[t + 1] as number, triangles[t + 2] as number];
    const [ha, hb, hc] = [heights[a] as number, heights[b] as number, heights[c] as number];
    if (Number.isNaN(ha + hb + hc) || (ha > 0 && hb > 0 && hc > 0) || (ha <= 0 && hb <= 0 && hc <= 0)) continue;
    const ends: number[] = [];
    for (const [one, other, h, k] of [[a, b, ha, hb], [b, c, hb, hc], [c, a, hc, ha]] as const) {
      if (h > 0 === k > 0) continue;
      at.copy(corner(one)).lerp(corner(other), h / (h - k));
      ends.push(at.dot(across), at.dot(towards));
    }
    if (ends.length === 4) out.push(...ends);
  }
  return out;
}
