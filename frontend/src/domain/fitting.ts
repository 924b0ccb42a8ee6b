/** The fitting's language, version 1: messages as docs/fitting-protocol.md describes them. */

export const VERSION = 1;
const HEAD = 8; // bytes: version, kind, index (2), step (4)

export const KIND = { told: 16, positions: 17, piece: 18, refused: 19, parked: 20 } as const;

export type Place = readonly [number, number, number];

export interface ToldPull {
  garment: string;
  vertices: number;
  at: Place;
  to: Place;
  reach_mm: number;
  slips_mm: number;
}

export interface ToldPin {
  number: number;
  garment: string;
  on: string;
  at: Place;
  cloth: Place;
}

/** How the fitting is, as its process tells it. */
export interface Told {
  shot: number;
  mark: string;
  running: boolean;
  to_rest: boolean;
  keep_as: string | null;
  sewing: { garment: string; stage: string; share: number; paused: boolean } | null;
  pace: number;
  time: number;
  goal: number;
  unrest_mm: number | null;
  weight: number;
  step_ms: number;
  pulls: ToldPull[];
  pins: ToldPin[];
  garments: { name: string; vertices: number; parked: number }[];
  pieces: { name: string; is: "in" | "out" | "coming" }[];
  members: string[];
  pinched: { garment: string; vertices: number; at: Place }[];
  back: string | null;
  lost?: string[];
}

export interface Refused {
  what: string;
  where: string;
  remedy: string;
  do: string;
}

export type Message =
  | { kind: "told"; told: Told | null }
  | { kind: "sewn"; garment: string; said: string; fault: boolean }
  | { kind: "positions"; step: number; values: Float32Array }
  | { kind: "piece"; index: number; values: Float32Array }
  | { kind: "refused"; refused: Refused }
  | { kind: "parked"; bits: Uint8Array };

/** A message read; null for one of a kind that is not known. `told` is null while the fitting is being opened. */
export function read(data: ArrayBuffer): Message | null {
  if (data.byteLength < HEAD) return null;
  const head = new DataView(data);
  if (head.getUint8(0) !== VERSION) return null;
  const index = head.getUint16(2, true);
  const step = head.getUint32(4, true);
  switch (head.getUint8(1)) {
    case KIND.told: {
      const told = JSON.parse(text(data)) as Told | { opening: true } | { sewn: string; said: string; fault: boolean };
      if ("sewn" in told) return { kind: "sewn", garment: told.sewn, said: told.said, fault: told.fault };
      return { kind: "told", told: "opening" in told ? null : told };
    }
    case KIND.positions:
      return { kind: "positions", step, values: new Float32Array(data.slice(HEAD)) };
    case KIND.piece:
      return { kind: "piece", index, values: new Float32Array(data.slice(HEAD)) };
    case KIND.refused:
      return { kind: "refused", refused: JSON.parse(text(data)) as Refused };
    case KIND.parked:
      return { kind: "parked", bits: new Uint8Array(data.slice(HEAD)) };
    default:
      return null;
  }
}

function text(data: ArrayBuffer): string {
  return new TextDecoder().decode(new Uint8Array(data, HEAD));
}

/** Flags, the first in the highest bit of the first byte. */
export function unpacked(bits: Uint8Array, count: number): boolean[] {
  return Array.from({ length: count }, (_, at) => (((bits[at >> 3] ?? 0) >> (7 - (at & 7))) & 1) === 1);
}

/** The same the other way, as base64. */
export function packed(flags: readonly boolean[]): string {
  const bytes = new Uint8Array(Math.ceil(flags.length / 8));
  for (const [at, flag] of flags.entries()) if (flag) bytes[at >> 3] = (bytes[at >> 3] ?? 0) | (128 >> (at & 7));
  let out = "";
  for (const byte of bytes) out += String.fromCharCode(byte);
  return btoa(out);
}

/** What is shown of how far the cloth is from rest. */
export function unrestSaid(told: Told): string {
  if (told.pulls.length > 0) return "being pulled";
  if (told.time !== told.goal) return `walking to ${Math.round(told.goal)}`;
  if (told.pieces.some((piece) => piece.is === "coming")) return "a set piece comes in";
  if (told.unrest_mm === null) return "not measured yet";
  if (told.unrest_mm <= 0.2) return `at rest, ${told.unrest_mm.toFixed(2)} mm`;
  return `${told.unrest_mm < 10 ? told.unrest_mm.toFixed(1) : Math.round(told.unrest_mm)} mm still to go`;
}

/** Positions of all garments, cut into those of each. */
export function cutByGarment(values: Float32Array, garments: readonly { name: string; vertices: number }[]): Map<string, Float32Array> {
  const out = new Map<string, Float32Array>();
  let at = 0;
  for (const { name, vertices } of garments) out.set(name, values.subarray(3 * at, 3 * (at += vertices)));
  return out;
}

/** A name for the next fitting that none has. */
export function freeFitting(names: readonly string[]): string {
  for (let number = names.length + 1; ; number += 1) if (!names.includes(`fitting ${number}`)) return `fitting ${number}`;
}
