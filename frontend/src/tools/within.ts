/** Whether a place lies within a line that was drawn around (even-odd rule). */
export function within(corners: readonly (readonly [number, number])[], x: number, y: number): boolean {
  let inside = false;
  for (const [k, [ax, ay]] of corners.entries()) {
    const [bx, by] = corners[(k + 1) % corners.length] as readonly [number, number];
    if (ay > y !== by > y && x < ax + ((y - ay) * (bx - ax)) / (by - ay)) inside = !inside;
  }
  return inside;
}
