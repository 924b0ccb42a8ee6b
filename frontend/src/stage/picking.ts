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
