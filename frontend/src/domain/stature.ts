/** A grown human as an outline, to hold figures against; our own drawing. */

export const STATURE = 1.75; // m

// Right half from the crown down to the sole and up the inside, in shares of stature.
const RIGHT: readonly (readonly [number, number])[] = [
  [0, 1], [0.035, 0.993], [0.05, 0.965], [0.047, 0.925], [0.032, 0.885], [0.034, 0.862], [0.075, 0.842],
  [0.118, 0.825], [0.135, 0.79], [0.143, 0.7], [0.158, 0.6], [0.168, 0.5], [0.172, 0.455], [0.158, 0.44],
  [0.15, 0.47], [0.14, 0.55], [0.125, 0.63], [0.11, 0.7], [0.1, 0.745], [0.095, 0.66], [0.088, 0.6],
  [0.102, 0.53], [0.103, 0.46], [0.088, 0.34], [0.078, 0.27], [0.08, 0.21], [0.062, 0.09], [0.06, 0.04],
  [0.082, 0.008], [0.08, 0], [0.026, 0], [0.03, 0.09], [0.028, 0.2], [0.024, 0.29], [0.016, 0.4], [0, 0.465],
];

/** The whole outline, x to the right and y up, in shares of stature. */
export const HUMAN_OUTLINE: readonly (readonly [number, number])[] = [
  ...RIGHT,
  ...RIGHT.slice(1, -1).reverse().map(([x, y]) => [-x, y] as const),
];
