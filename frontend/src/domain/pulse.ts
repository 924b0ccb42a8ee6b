import type { FramePulse, Take } from "../api/client";

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
            worst_edge: Math.max(known.worst_edge, beat.worst_edge),
            overstretched: known.overstretched + beat.overstretched,
            bodies: [...new Set([...known.bodies, ...beat.bodies])],
            body_shows: most(known.body_shows, beat.body_shows),
            left_out_shows: most(known.left_out_shows, beat.left_out_shows),
            deepest: Math.max(known.deepest, beat.deepest),
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

function most(one: number | null, other: number | null): number | null {
  return one === null || other === null ? (one ?? other) : Math.max(one, other);
}

/** The newest frame that all garments of a take have; null while one has none. */
export function newestFrame(take: Take): number | null {
  const last = take.garments.map((garment) => garment.last);
  return last.some((frame) => frame === null) || last.length === 0 ? null : Math.min(...last.filter((frame) => frame !== null));
}
