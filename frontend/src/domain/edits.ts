/** Edits of a shot's document: each gives the new document and what it did, in words. */
import type { CastRecord, ColliderRecord, FabricRecord, FileRecipe, FittingRecord, GarmentRecord, HoldRecord, Pop, Recipe, ShotDocument, WindRecord } from "../api/client";
import { type Keyed, respanned, type Span, spread } from "./keys";

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
  compress_warp: null,
  compress_weft: null,
  load_warp: null,
  load_weft: null,
  load_shear: null,
  strain_limit: null,
  memory: 0,
  air_across: 1.2,
  air_along: 0.02,
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

/** A garment as it is brought in from a file: held by nothing. */
export function addGarment(
  document: ShotDocument,
  { name, ...file }: { name: string } & Pick<FileRecipe, "file"> & Partial<Pick<FileRecipe, "mesh" | "unit" | "up">>,
): Edit {
  const recipe: FileRecipe = {
    kind: "file",
    unit: "m",
    up: "y",
    mesh: null,
    ...file,
    placed: { mirrored: false, scale: 1, turn: 0, move: [0, 0, 0] },
    warp: [0, 1, 0],
    starts_at: 0,
    sheet: false,
    mended: [],
    spacing: null,
    let_out: [],
    rest: "as made",
  };
  return withGarment(document, name, recipe, `Brought in ${name}`);
}

/** A new garment of the shot's first fabric, held by nothing. */
export function withGarment(document: ShotDocument, name: string, recipe: Recipe, said: string): Edit {
  const garment: Omit<GarmentRecord, "fabric"> = {
    name,
    recipe,
    rest_angles: "flat",
    calm: 0,
    shelter: 0,
    filling: null,
    begins: null,
    finished: null,
    choices: [],
    maps: [],
    holds: [],
  };
  const fabrics = document.fabrics.length > 0 ? document.fabrics : [plainWeave];
  const fabric = fabrics[0]?.name ?? plainWeave.name;
  return {
    document: { ...document, fabrics, garments: [...document.garments, { ...garment, fabric }] },
    said,
  };
}

/** Change one of the cast; change: the new fields, or what they become of the newest ones. */
export function changeMember(document: ShotDocument, name: string, change: Partial<CastRecord> | ((newest: CastRecord) => Partial<CastRecord>), said: string): Edit {
  const changed = (one: CastRecord) => ({ ...one, ...(typeof change === "function" ? change(one) : change) });
  const cast = (document.cast ?? []).map((one) => (one.name === name ? changed(one) : one));
  return { document: { ...document, cast }, said: `${name}: ${said}` };
}

/** A collider as it is when a member begins to keep cloth off. */
export const plainCollider: ColliderRecord = { clearance_mm: 2, friction: 0.3, thickness_mm: 0, on: 1, leave_out: [], leave_out_faces: [], understudy: null };

export function changeCollider(document: ShotDocument, name: string, change: Partial<ColliderRecord>, said: string): Edit {
  const before = (document.cast ?? []).find((one) => one.name === name)?.collider ?? plainCollider;
  return changeMember(document, name, { collider: { ...before, ...change } }, said);
}

/** Move one end of the span over which a member keeps cloth off. */
export function respanCollider(document: ShotDocument, name: string, end: Partial<Span>): Edit {
  const before = (document.cast ?? []).find((one) => one.name === name)?.collider ?? plainCollider;
  const { on, said } = respanned(before.on, end, "keeps cloth off");
  return changeCollider(document, name, { on }, said);
}

/** Change how a garment that is brought in from a file is read. */
export function changeRecipe(document: ShotDocument, name: string, change: Partial<FileRecipe>, said: string): Edit {
  const before = document.garments.find((one) => one.name === name)?.recipe;
  return before?.kind !== "file" ? { document, said: "" } : changeGarment(document, name, { recipe: { ...before, ...change } }, said);
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

/** A garment once more, with its holds, maps and choices, `aside` m to its right. */
export function copyGarment(document: ShotDocument, name: string, aside: number): Edit {
  const one = document.garments.find((garment) => garment.name === name);
  if (one === undefined) return { document, said: "" };
  const copy = structuredClone(one);
  copy.name = freeName(name.replace(/ \d+$/, ""), [...(document.cast ?? []), ...document.garments].map((other) => other.name));
  if (copy.recipe.kind === "file") {
    const [x, y, z] = copy.recipe.placed.move;
    copy.recipe.placed.move = [Number((x + aside).toFixed(4)), y, z];
  }
  for (const hold of copy.holds) if ("to" in hold.how && hold.how.to === name) hold.how.to = copy.name;
  const at = document.garments.indexOf(one) + 1;
  const garments = [...document.garments.slice(0, at), copy, ...document.garments.slice(at)];
  return { document: { ...document, garments }, said: `Copied ${name} as ${copy.name}` };
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
  const run_in = { ...document.run_in, ...change };
  return { document: { ...document, run_in }, said: `Run-in: settles ${run_in.settle}, moves ${run_in.move} frames` };
}

/** A wind in the plain shape the card edits: nothing until one frame, full from another. */
export interface Gust {
  name: string;
  strength: number;
  from: number;
  full: number;
  heading: number;
  turbulence: number;
}

/** Sea-level air, kg/m3: winds press by the square of their speed times this. */
export const AIR_DENSITY = 1.2;

export function windsOf(document: ShotDocument): WindRecord[] {
  return document.forces?.winds ?? [];
}

/** A wind as a gust; null when its keys say more than a gust can. */
export function gustOf(wind: WindRecord, first: number): Gust | null {
  const heading = wind.heading ?? 0;
  if (typeof heading !== "number") return null;
  const plain = { name: wind.name, heading, turbulence: wind.turbulence ?? 0 };
  if (typeof wind.strength === "number") return { ...plain, strength: wind.strength, from: first, full: first };
  const { frames, values } = wind.strength;
  const [from, full] = frames;
  const [calm, strength] = values;
  if (frames.length !== 2 || calm !== 0 || from === undefined || full === undefined || strength === undefined) return null;
  return { ...plain, strength, from, full };
}

const NO_WIND: Omit<WindRecord, "name"> = { strength: 0, heading: 0, rise: 0, turbulence: 0, eddy_m: 0.8, seed: 0 };

export function windOf(gust: Gust, before: Omit<WindRecord, "name"> = NO_WIND): WindRecord {
  const keyed = gust.full > gust.from;
  return {
    ...before,
    name: gust.name,
    strength: keyed ? { frames: [gust.from, gust.full], values: [0, gust.strength] } : gust.strength,
    heading: gust.heading,
    turbulence: gust.turbulence,
  };
}

function withWinds(document: ShotDocument, winds: WindRecord[], said: string): Edit {
  const forces = document.forces ?? { gravity: [0, -9.81, 0], air_drag: 0.3, air_density: 0, winds: [] };
  const air_density = winds.length > 0 && !forces.air_density ? AIR_DENSITY : forces.air_density;
  return { document: { ...document, forces: { ...forces, air_density, winds } }, said };
}

export function addWind(document: ShotDocument): Edit {
  const name = freeName("wind", windsOf(document).map((wind) => wind.name));
  const [first, last] = document.frames;
  const from = Math.round(first + (last - first) / 4);
  const gust = windOf({ name, strength: 4, from, full: from + 15, heading: 0, turbulence: 0.3 });
  return withWinds(document, [...windsOf(document), gust], `Let a ${name} blow`);
}

export function changeWind(document: ShotDocument, name: string, change: (wind: WindRecord) => WindRecord): Edit {
  const winds = windsOf(document).map((one) => (one.name === name ? change(one) : one));
  return withWinds(document, winds, `Changed the ${name}`);
}

/** Move the two keys of a change of the wind that is too quick to where it has the frames it needs. */
export function widenWind(document: ShotDocument, name: string, pop: Pop): Edit {
  const moved = (value: Keyed) => spread(value, [pop.first, pop.last], pop.wider);
  if (pop.keyed === "strength") return changeWind(document, name, (wind) => ({ ...wind, strength: moved(wind.strength) }));
  if (pop.keyed === "heading") return changeWind(document, name, (wind) => ({ ...wind, heading: moved(wind.heading ?? 0) }));
  return changeWind(document, name, (wind) => ({ ...wind, rise: moved(wind.rise ?? 0) }));
}

export function removeWind(document: ShotDocument, name: string): Edit {
  return withWinds(document, windsOf(document).filter((wind) => wind.name !== name), `Took out the ${name}`);
}

export function changeTogether(document: ShotDocument, together: boolean): Edit {
  return { document: { ...document, together }, said: together ? "Garments simulated together" : "Garments simulated alone" };
}

/** One place further in, towards the body; the innermost stays. */
export function dressFurtherIn(document: ShotDocument, name: string): Edit {
  const garments = [...document.garments];
  const at = garments.findIndex((garment) => garment.name === name);
  const [moved] = at > 0 ? garments.splice(at, 1) : [];
  if (moved !== undefined) garments.splice(at - 1, 0, moved);
  return { document: { ...document, garments }, said: `${name} worn further in` };
}

export function simulateAgain(document: ShotDocument, name: string): Edit {
  return changeGarment(document, name, { finished: null }, "simulated again");
}

/** Let every garment start as it was made. */
/** Whose pose it is, as garments that begin from a fitting say it. */
const fromFitting = (name: string) => `fitting ${name}`;

/** Let every garment of a fitting begin from its pose; all as made without one. */
export function beginFromFitting(document: ShotDocument, fitting: FittingRecord | null): Edit {
  const garments = document.garments.map((garment) => {
    const fitted = fitting?.garments.find((one) => one.garment === garment.name);
    if (fitting === null || fitted === undefined) return { ...garment, begins: null };
    return { ...garment, begins: { cache: fitted.cache, recipe: fitted.recipe, take: fromFitting(fitting.name) } };
  });
  return { document: { ...document, garments }, said: fitting === null ? "Garments begin as made" : `Takes begin from fitting '${fitting.name}'` };
}

/** The fitting that takes begin from; null for none. */
export function beginsAs(document: ShotDocument): string | null {
  const whose = document.garments.map((garment) => garment.begins?.take);
  return (document.fittings ?? []).find((one) => whose.includes(fromFitting(one.name)))?.name ?? null;
}

/** Take a fitting out of the shot; takes that have begun from it keep its pose. */
export function dropFitting(document: ShotDocument, name: string): Edit {
  return { document: { ...document, fittings: (document.fittings ?? []).filter((one) => one.name !== name) }, said: `Fitting '${name}' taken out` };
}

export function startAsMade(document: ShotDocument): Edit {
  return { document: { ...document, garments: document.garments.map((one) => ({ ...one, begins: null })) }, said: "Garments start as made" };
}

export function changeTimeStretch(document: ShotDocument, time_stretch: Keyed): Edit {
  return { document: { ...document, time_stretch }, said: `Time: ${plain(time_stretch)} s for the cloth in one of the shot` };
}

export function changeLeastSubsteps(document: ShotDocument, least_substeps: Keyed): Edit {
  return { document: { ...document, least_substeps }, said: `At least ${plain(least_substeps)} substeps per frame` };
}

function plain(value: Keyed): string {
  return typeof value === "number" ? String(value) : "keyed";
}
