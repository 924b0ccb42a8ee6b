/** What the pointer meets on the stage. */

/** A ray in m of the shot; direction has length 1. */
export interface Ray {
  origin: [number, number, number];
  direction: [number, number, number];
}

/** A place on cloth: where (m), which way it faces, and the three vertices of its triangle. */
export interface ClothHit {
  place: [number, number, number];
  facing: [number, number, number];
  corners: [number, number, number];
}

/** Barycentric weights of a place in the triangle of three vertices of `points`, x y z each. */
export function weightsIn(points: Float32Array, corners: ClothHit["corners"], place: ClothHit["place"]): [number, number, number] {
  const at = (vertex: number, axis: number) => points[3 * vertex + axis] as number;
  const [a, b, c] = corners;
  const [ab, ac, ap] = [b, c, null].map((to) => [0, 1, 2].map((axis) => (to === null ? (place[axis] as number) : at(to, axis)) - at(a, axis))) as [number[], number[], number[]];
  const dot = (p: number[], q: number[]) => p.reduce((sum, value, axis) => sum + value * (q[axis] as number), 0);
  const [bb, bc, cc, pb, pc] = [dot(ab, ab), dot(ab, ac), dot(ac, ac), dot(ap, ab), dot(ap, ac)];
  const whole = bb * cc - bc * bc;
  if (whole <= 0) return [1, 0, 0];
  const [v, w] = [(cc * pb - bc * pc) / whole, (bb * pc - bc * pb) / whole].map((share) => Math.min(1, Math.max(0, share))) as [number, number];
  const u = Math.max(0, 1 - v - w);
  const total = u + v + w;
  return [u / total, v / total, w / total];
}
