/** One ramp of lightness from undyed cloth to indigo, for every quantity without a sign. */
export type Rgb = readonly [number, number, number];

const STOPS: readonly Rgb[] = [
  [0.937, 0.91, 0.847],
  [0.718, 0.749, 0.816],
  [0.439, 0.525, 0.706],
  [0.204, 0.314, 0.549],
  [0.118, 0.184, 0.341],
];

/** The colour (sRGB) of a share from 0, undyed, to 1, indigo; outside it is held. */
export function ramp(share: number): Rgb {
  const at = Math.min(1, Math.max(0, Number.isFinite(share) ? share : 0)) * (STOPS.length - 1);
  const low = Math.min(STOPS.length - 2, Math.floor(at));
  const [a, b] = [STOPS[low] as Rgb, STOPS[low + 1] as Rgb];
  const t = at - low;
  return [a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1]), a[2] + t * (b[2] - a[2])];
}

export const rampCss = `linear-gradient(90deg, ${STOPS.map((stop) => `rgb(${stop.map((v) => Math.round(v * 255)).join(" ")})`).join(", ")})`;
