import type { FramePulse } from "../api/client";

/** Over all garments: per frame the worst of each figure. */
export function worst(garments: Record<string, FramePulse[]>): FramePulse[] {
  const out = new Map<number, FramePulse>();
  for (const beat of Object.values(garments).flat()) {
    const known = out.get(beat.frame);
    out.set(
      beat.frame,
      known === undefined
        ? beat
        : {
            ...known,
            stretch: Math.max(known.stretch, beat.stretch),
            in_the_body: known.in_the_body + beat.in_the_body,
            through_itself: known.through_itself + beat.through_itself,
            through_another: known.through_another + beat.through_another,
            pinched: known.pinched + beat.pinched,
            milliseconds: Math.max(known.milliseconds, beat.milliseconds),
          },
    );
  }
  return [...out.values()].sort((a, b) => a.frame - b.frame);
}
