/** Bringing files into a shot, and what the cast can be told. */
import type { CastRecord, FileRecipe, GarmentRecord, PlacedRecord, SelfCut, ShapeRecord, Shot, ShotDocument, Uploaded } from "../api/client";
import { addGarment, addMember, changeGarment, changeMember, type Edit, freeName, plainCollider } from "./edits";

/** What a file may be brought in as. */
export type Role = "character" | "prop" | "set piece" | "garment" | "cache" | "motion" | "shape";

export const ROLE_NAMES: Record<Role, string> = {
  character: "character",
  prop: "prop",
  "set piece": "set piece",
  garment: "garment",
  cache: "points that move one of the cast",
  motion: "motion for a character already here",
  shape: "second shape of one of the cast",
};

/** Fields that a reading's offer sets: of the member or the garment's recipe, of the garment, of the shot, of others
 * of the cast by name. */
export interface Offer {
  because: string;
  said: string;
  member: Partial<CastRecord> & Partial<FileRecipe>;
  garment: Partial<GarmentRecord>;
  shot: Partial<ShotDocument>;
  cast: Record<string, Partial<CastRecord>>;
}

export const PLAIN_SHAPE: ShapeRecord = { name: "shape", shape: null, file: null, mesh: null, drawn_in_mm: null, parts: [], amount: 1 };

export const PLAIN_PLACE = { mirrored: false, scale: 1, turn: 0, move: [0, 0, 0] as [number, number, number] };

const UNIT_OF: readonly (readonly [number, string])[] = [
  [1, "m"], [0.1, "dm"], [0.01, "cm"], [0.001, "mm"], [0.0254, "in"], [0.3048, "ft"],
];

/** The unit a file states, when it is one that is known. */
export function unitOf(metres: number | null): string | null {
  if (metres === null) return null;
  return UNIT_OF.find(([size]) => Math.abs(size / metres - 1) < 1e-3)?.[1] ?? null;
}

/** What a file says of itself, in words. */
export function statedOf({ stated }: Uploaded): string {
  const parts = [];
  if (stated.metres !== null) parts.push(stated.metres === 1 ? "metres" : `${stated.metres} m to a unit`);
  if (stated.up !== null) parts.push(`${stated.up.toUpperCase()} up`);
  if (stated.rate !== null) parts.push(`${Number(stated.rate.toFixed(3))} frames a second`);
  return parts.length > 0 ? parts.join(", ") : "nothing of unit, axis or rate";
}

/** What a file can be, the likeliest first; `cast`: who is there already. */
export function rolesOf(found: Uploaded, cast: readonly CastRecord[] = []): Role[] {
  if (found.cache !== null) return ["cache"];
  const moves = found.meshes.map((mesh) => mesh.moves);
  if (moves.includes("by joints")) return ["character", "prop", "motion", "garment", "set piece", "shape"];
  if (moves.includes("by points")) return ["character", "prop", "cache", "garment", "set piece"];
  if (moves.includes("as a whole")) return ["prop", "set piece", "garment"];
  // A costume needs somebody to wear it: the first mesh is who it will be.
  const first: Role = cast.some((one) => one.kind === "character") ? "garment" : "character";
  return [first, ...(["garment", "set piece", "prop", "character", "shape"] as const).filter((role) => role !== first)];
}

export interface Placing {
  role: Role;
  name: string;
  mesh: string;
  /** The member that a cache or a motion is for. */
  target: string;
}

/** The edit that puts a file that was brought in into the shot. */
export function placed(document: ShotDocument, found: Uploaded, { role, name, mesh, target }: Placing): Edit {
  const chosen = found.meshes.length > 1 ? mesh : null;
  const piece = found.meshes.find((one) => one.name === mesh);
  const first = piece?.first ?? found.cache?.first ?? null;
  const unit = unitOf(found.stated.metres) ?? "m";
  const up = found.stated.up ?? "y";
  if (role === "garment") return addGarment(document, { name, file: found.name, mesh: chosen, unit, up });
  const timed = timedBy(document, found, piece, role === "cache" ? target : name);
  if (role === "cache") {
    return changeMember(timed, target, { cache: found.name, starts_at: startOf(timed, first) }, `moved by ${found.name}${timeSaid(document, timed)}`);
  }
  if (role === "motion") {
    return changeMember(document, target, { motion: { file: found.name, animation: null } }, `takes its motion from ${found.name}`);
  }
  if (role === "shape") return withShape(document, target, found.name, chosen);
  const beside = Object.keys(found.beside)[0] ?? null;
  const brought = addMember(timed, {
    name,
    kind: role,
    file: found.name,
    unit,
    up,
    mesh: chosen,
    cache: beside,
    cache_as: { unit: null, up: null, mirrored: false },
    animation: null,
    starts_at: startOf(timed, first),
    motion_turn: 0,
    motion_move: [0, 0, 0],
    outwards: false,
    placed: PLAIN_PLACE,
    timing: "real time",
    motion: null,
    parent: null,
    shapes: [],
    collider: plainCollider,
  });
  return { ...brought, said: brought.said + timeSaid(document, timed) };
}

/** The shot with the frames and the rate of the first file that moves anybody in it; as it is when somebody moves. */
function timedBy(document: ShotDocument, found: Uploaded, piece: Uploaded["meshes"][number] | undefined, who: string): ShotDocument {
  const others = (document.cast ?? []).filter((one) => one.name !== who);
  if (others.some((one) => one.kind === "character" || one.cache !== null || one.motion !== null)) return document;
  const first = piece?.first ?? found.cache?.first ?? null;
  const last = piece?.last ?? (found.cache === null || first === null ? null : first + found.cache.frames - 1);
  if (!isNumbered(document, first) || last === null || last <= (first ?? 0)) return document;
  const rate = found.stated.rate;
  return { ...document, frames: [Math.round(first ?? 0), Math.round(last)], ...(rate === null ? {} : { frame_rate: rate }) };
}

function timeSaid(before: ShotDocument, after: ShotDocument): string {
  if (before === after) return "";
  return `; the shot takes its frames ${after.frames[0]} to ${after.frames[1]} at ${Number((after.frame_rate ?? 24).toFixed(3))} a second`;
}

/** Whether a file numbers its frames: one that counts from 0 outside the shot does not. */
function isNumbered(document: ShotDocument, first: number | null): boolean {
  const [low, high] = document.frames;
  return first !== null && (Math.round(first) !== 0 || (low <= 0 && high >= 0));
}

/** The same mesh of another file, taken on by a member. */
function withShape(document: ShotDocument, member: string, file: string, mesh: string | null): Edit {
  const shapes = (document.cast ?? []).find((one) => one.name === member)?.shapes ?? [];
  const name = freeName(file.replace(/\.[^.]+$/, ""), shapes.map((one) => one.name));
  return changeMember(document, member, { shapes: [...shapes, { ...PLAIN_SHAPE, name, file, mesh }] }, `takes on ${name}`);
}

/** Where a file's first frame goes: to its own number if it has one, else to the shot's first frame. */
function startOf(document: ShotDocument, first: number | null): number {
  return isNumbered(document, first) ? Math.round(first ?? 0) : document.frames[0];
}

/** Take one change that a reading offers for a cast member or a garment. */
export function takeOffer(document: ShotDocument, name: string, offer: Offer): Edit {
  const said = (offer.said.charAt(0).toLowerCase() + offer.said.slice(1)).slice(0, 150);
  let next = { ...document, ...offer.shot };
  for (const [who, change] of Object.entries(offer.cast)) next = changeMember(next, who, change, "").document;
  const garment = next.garments.find((one) => one.name === name);
  if (garment === undefined) return changeMember(next, name, offer.member, said);
  return changeGarment(next, name, { ...offer.garment, recipe: { ...garment.recipe, ...offer.member } as FileRecipe }, said);
}

/** Offers by what they are about: those of one reason are alternatives, of which one is taken. */
export function byReason(offers: readonly Offer[]): [string, Offer[]][] {
  const out = new Map<string, Offer[]>();
  for (const offer of offers) out.set(offer.because, [...(out.get(offer.because) ?? []), offer]);
  return [...out];
}

/** A member put elsewhere; the garments go along, each as it stood to the member. */
export function placeTogether(document: ShotDocument, member: string, placed: PlacedRecord, said: string): Edit {
  const before = (document.cast ?? []).find((one) => one.name === member)?.placed ?? PLAIN_PLACE;
  const scale = placed.scale / before.scale;
  const turn = placed.turn - before.turn;
  const [sin, cos] = [Math.sin((turn * Math.PI) / 180), Math.cos((turn * Math.PI) / 180)];
  const garments = document.garments.map((one) => {
    if (one.recipe.kind !== "file") return one; // it is made where the member stands
    const [x, y, z] = one.recipe.placed.move.map((value, axis) => scale * (value - (before.move[axis] ?? 0))) as [number, number, number];
    const turned = [cos * x + sin * z, y, cos * z - sin * x];
    const move = turned.map((value, axis) => Number((value + (placed.move[axis] ?? 0)).toFixed(6))) as [number, number, number];
    const at = { ...one.recipe.placed, scale: one.recipe.placed.scale * scale, turn: wrapped(one.recipe.placed.turn + turn), move };
    return { ...one, recipe: { ...one.recipe, placed: at } };
  });
  return changeMember({ ...document, garments }, member, { placed }, `${said}, garments too`);
}

function wrapped(degrees: number): number {
  return ((((degrees + 180) % 360) + 360) % 360) - 180;
}

/** Members that a file's points, motion or shape could be for. */
export function targetsOf(shot: Shot, role: Role): string[] {
  const cast = shot.document.cast ?? [];
  return (role === "motion" ? cast.filter((one) => one.kind === "character") : cast).map((one) => one.name);
}

interface CutPlace {
  between: string;
  first: number;
  last: number;
  worst: SelfCut;
}

/** Cuts of one place in frames that follow each other, taken together. */
export function placesOf(cuts: readonly SelfCut[]): CutPlace[] {
  const out: CutPlace[] = [];
  for (const cut of cuts) {
    const open = out.find((one) => one.between === cut.between && one.last === cut.frame - 1);
    if (open === undefined) {
      out.push({ between: cut.between, first: cut.frame, last: cut.frame, worst: cut });
    } else {
      open.last = cut.frame;
      if (cut.depth > open.worst.depth) open.worst = cut;
    }
  }
  return out;
}

// A floor as a file: a closed slab whose top lies at height 0.
const HALF = 3; // m
const CELL = 0.2; // m
const DEEP = 0.3; // m

/** Level 6 m by 6 m, in cells of 0.2 m so that no triangle is much larger than a garment's. */
export function floorFile(): File {
  return new File([floorText()], "floor.obj");
}

export function floorText(): string {
  const count = Math.round((2 * HALF) / CELL) + 1;
  const at = (i: number, j: number, level: number) => 1 + level * count * count + i * count + j;
  const lines = ["# floor, metres, Y up"];
  for (const height of [0, -DEEP]) {
    for (let i = 0; i < count; i += 1) {
      for (let j = 0; j < count; j += 1) lines.push(`v ${(i * CELL - HALF).toFixed(3)} ${height} ${(j * CELL - HALF).toFixed(3)}`);
    }
  }
  lines.push("g floor");
  const last = count - 1;
  for (let i = 0; i < last; i += 1) {
    for (let j = 0; j < last; j += 1) {
      lines.push(`f ${at(i, j, 0)} ${at(i, j + 1, 0)} ${at(i + 1, j + 1, 0)} ${at(i + 1, j, 0)}`);
      lines.push(`f ${at(i, j, 1)} ${at(i + 1, j, 1)} ${at(i + 1, j + 1, 1)} ${at(i, j + 1, 1)}`);
    }
    lines.push(`f ${at(i, 0, 0)} ${at(i + 1, 0, 0)} ${at(i + 1, 0, 1)} ${at(i, 0, 1)}`);
    lines.push(`f ${at(i + 1, last, 0)} ${at(i, last, 0)} ${at(i, last, 1)} ${at(i + 1, last, 1)}`);
    lines.push(`f ${at(0, i + 1, 0)} ${at(0, i, 0)} ${at(0, i, 1)} ${at(0, i + 1, 1)}`);
    lines.push(`f ${at(last, i, 0)} ${at(last, i + 1, 0)} ${at(last, i + 1, 1)} ${at(last, i, 1)}`);
  }
  return `${lines.join("\n")}\n`;
}
