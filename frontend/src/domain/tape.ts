/** The tape's geometry: frames to pixels, marks, spans. */
export interface TapeScale {
  first: number;
  last: number;
  left: number;
  right: number;
}

export function xOf(scale: TapeScale, frame: number): number {
  const length = Math.max(1, scale.last - scale.first);
  return scale.left + ((frame - scale.first) / length) * (scale.right - scale.left);
}

export function frameAt(scale: TapeScale, x: number): number {
  const share = (x - scale.left) / Math.max(1, scale.right - scale.left);
  const frame = Math.round(scale.first + share * (scale.last - scale.first));
  return Math.min(scale.last, Math.max(scale.first, frame));
}

/** Frames between two figures on the tape: as many as leave room for them. */
export function figureStep(scale: TapeScale, room = 68): number {
  const each = (scale.right - scale.left) / Math.max(1, scale.last - scale.first);
  return [5, 10, 20, 50, 100, 200, 500, 1000].find((step) => step * each >= room) ?? 2000;
}

/** Runs of neighbouring frames as [first, last]. */
export function spans(frames: readonly number[]): [number, number][] {
  const out: [number, number][] = [];
  for (const frame of frames) {
    const open = out.at(-1);
    if (open !== undefined && frame === open[1] + 1) open[1] = frame;
    else out.push([frame, frame]);
  }
  return out;
}

/** A line through values, as an SVG path; `top` is the value at the lane's upper edge. */
export function lane(
  scale: TapeScale,
  points: readonly { frame: number; value: number }[],
  top: number,
  base: number,
  height: number,
): string {
  return points
    .map(({ frame, value }, index) => {
      const y = base - height * Math.min(1, Math.max(0, value / Math.max(1e-9, top)));
      return `${index === 0 ? "M" : "L"}${xOf(scale, frame).toFixed(1)} ${y.toFixed(1)}`;
    })
    .join(" ");
}
