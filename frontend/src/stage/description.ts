/** From the shot, what was read of it and the takes chosen, to what stands on the stage. */
import { part, type Reading, type Shot, type Take } from "../api/client";
import type { Bench } from "../domain/thread";

export interface Member {
  name: string;
  kind: "character" | "prop" | "set piece";
  moves: boolean;
  /** Where values per vertex come from that are shown on it, and the value shown darkest. */
  shade?: { path: string; high: number };
}

/** One cloth of the stage: a garment, as made (take null) or as a take has it up to frame `last`. */
export interface Worn {
  garment: string;
  dye: number;
  pane: number;
  take: number | null;
  /** The revision whose mesh it is. */
  revision: number;
  first: number;
  last: number;
  /** Rises when frames of the take that were there already have changed. */
  version?: number;
}

export interface Description {
  shot: number;
  revision: number;
  first: number;
  last: number;
  members: Member[];
  worn: Worn[];
}

/** Whether a bench looks at takes; the others look at garments as they were made. */
export function looksAtTakes(bench: Bench): boolean {
  return bench === "takes" || bench === "hand-off";
}

/** Whether a bench looks at garments on the rest pose, whatever the frame. */
export function atRest(bench: Bench): boolean {
  return bench === "wardrobe" || bench === "fasten" || bench === "chalk" || bench === "drape";
}

/** Whether a run has made a frame yet. */
export function hasFrames(take: Take): boolean {
  return take.garments.some(({ last }) => last !== null);
}

/** The pane of cloth that is kept ready and not drawn. */
export const READY = -1;

/** ready: takes whose frames are kept at hand beside those that are shown, so that the stage can flick to them. */
export function describe(shot: Shot, reading: Reading | undefined, shown: Take[], bench: Bench, understudy: string | null = null, ready: Take[] = []): Description | null {
  if (reading === undefined) return null;
  const first = shot.first_simulated;
  const takes = looksAtTakes(bench) ? shown : [];
  const settled = first + shot.document.run_in.settle;
  // In dressing order, which gives each its dye; a reading's own order is that of the alphabet.
  const names = shot.document.garments.map(({ name }) => name).filter((name) => reading.garments[name] !== undefined);
  const made = (garment: string, index: number): Worn => ({
    garment,
    dye: index,
    pane: 0,
    take: null,
    revision: shot.revision,
    first: atRest(bench) ? -Infinity : first,
    last: atRest(bench) ? Infinity : Math.max(first, settled),
  });
  return {
    shot: shot.id,
    revision: takes[0]?.revision ?? shot.revision,
    first,
    last: Math.max(shot.document.frames[1], ...takes.map((take) => take.last)),
    members: (shot.document.cast ?? [])
      .filter((member) => reading.cast[member.name] !== undefined)
      .map((member) => ({
        name: member.name,
        kind: member.kind,
        moves: reading.cast[member.name]?.first !== null,
        ...(bench === "cast" && member.name === understudy && reading.cast[member.name]?.understudy
          ? standIn(shot, member.name)
          : {}),
      })),
    worn:
      takes.length === 0
        ? names.map(made)
        : [...takes.map((take, pane) => ({ take, pane })), ...(looksAtTakes(bench) ? ready : []).map((take) => ({ take, pane: READY }))].flatMap(({ take, pane }): Worn[] => {
            // As long as a run has no frame the garments stand as they were made.
            if (!hasFrames(take)) return names.map((garment, dye) => ({ garment, dye, pane, take: null, revision: take.revision, first: -Infinity, last: Infinity }));
            return take.garments.flatMap(({ garment, first: from, last }) => {
              const dye = Math.max(0, names.indexOf(garment));
              return from === null || last === null ? [] : [{ garment, dye, pane, take: take.id, revision: take.revision, first: from, last, version: take.version }];
            });
          }),
  };
}

/** Deviation shown darkest on an understudy, m. */
export const DEVIATION_SHOWN = 0.006;

function standIn(shot: Shot, member: string): Pick<Member, "name" | "shade"> {
  const path = `/api/shots/${shot.id}/revisions/${shot.revision}/cast/${part(member)}/understudy/deviation`;
  return { name: `${member} (understudy)`, shade: { path, high: DEVIATION_SHOWN } };
}
