/** Edits of a shot's document: each gives the new document and what it did, in words. */
import type { CastRecord, FabricRecord, GarmentRecord, HoldRecord, ShotDocument } from "../api/client";

export interface Edit {
  document: ShotDocument;
  said: string;
}

export const plainWeave: FabricRecord = {
  name: "plain weave",
  stretch_warp: 1500,
  stretch_weft: 1200,
  shear: 300,
  bend_warp: 5e-5,
  bend_weft: 4e-5,
  areal_density: 0.18,
  thickness_mm: 0.5,
  friction: 0.3,
  stretch_damping: 0.004,
  bend_damping: 0.02,
};

/** `wanted`, or the same with a number after it when it is taken. */
export function freeName(wanted: string, taken: readonly string[]): string {
  if (!taken.includes(wanted)) return wanted;
  let number = 2;
  while (taken.includes(`${wanted} ${number}`)) number += 1;
  return `${wanted} ${number}`;
}

export function addMember(document: ShotDocument, member: CastRecord): Edit {
  return {
    document: { ...document, cast: [...(document.cast ?? []), member] },
    said: `Brought in ${member.name}`,
  };
}

export function addGarment(document: ShotDocument, garment: Omit<GarmentRecord, "fabric">): Edit {
  const fabrics = document.fabrics.length > 0 ? document.fabrics : [plainWeave];
  const fabric = fabrics[0]?.name ?? plainWeave.name;
  return {
    document: { ...document, fabrics, garments: [...document.garments, { ...garment, fabric }] },
    said: `Brought in ${garment.name}`,
  };
}

export function changeMember(document: ShotDocument, name: string, change: Partial<CastRecord>, said: string): Edit {
  const cast = (document.cast ?? []).map((one) => (one.name === name ? { ...one, ...change } : one));
  return { document: { ...document, cast }, said: `${name}: ${said}` };
}

export function changeGarment(
  document: ShotDocument,
  name: string,
  change: Partial<GarmentRecord>,
  said: string,
): Edit {
  const garments = document.garments.map((one) => (one.name === name ? { ...one, ...change } : one));
  return { document: { ...document, garments }, said: `${name}: ${said}` };
}

export function takeOut(document: ShotDocument, name: string): Edit {
  return {
    document: {
      ...document,
      cast: (document.cast ?? []).filter((one) => one.name !== name),
      garments: document.garments.filter((one) => one.name !== name),
    },
    said: `Took out ${name}`,
  };
}

export function addHold(document: ShotDocument, garment: string, hold: HoldRecord): Edit {
  const holds = [...(holdsOf(document, garment) ?? []), hold];
  return changeGarment(document, garment, { holds }, `held by ${hold.name}`);
}

export function removeHold(document: ShotDocument, garment: string, name: string): Edit {
  const holds = holdsOf(document, garment).filter((hold) => hold.name !== name);
  return changeGarment(document, garment, { holds }, `let go of ${name}`);
}

export function holdsOf(document: ShotDocument, garment: string): HoldRecord[] {
  return document.garments.find((one) => one.name === garment)?.holds ?? [];
}

export function renamed(document: ShotDocument, name: string): Edit {
  return { document: { ...document, name }, said: `Called ${name}` };
}

export function changeFrames(document: ShotDocument, change: { first?: number; last?: number }): Edit {
  const frames: [number, number] = [change.first ?? document.frames[0], change.last ?? document.frames[1]];
  return { document: { ...document, frames }, said: `Frames ${frames[0]} to ${frames[1]}` };
}

export function changeRunIn(document: ShotDocument, change: { settle?: number; move?: number }): Edit {
  const before = document.run_in ?? { settle: 10, move: 30 };
  const run_in = { ...before, ...change };
  return { document: { ...document, run_in }, said: `Run-in: settles ${run_in.settle}, moves ${run_in.move} frames` };
}

/** First frame that is simulated. */
export function firstSimulated(document: ShotDocument): number {
  return document.frames[0] - (document.run_in?.settle ?? 10) - (document.run_in?.move ?? 30);
}
