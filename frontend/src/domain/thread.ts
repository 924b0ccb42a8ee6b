/** The thread: which benches a shot passes, and the state of each in words. */
import type { Delivery, Reading, ShotDocument, Take } from "../api/client";
import { count, takeState } from "./words";

export type Bench = "cast" | "wardrobe" | "chalk" | "fasten" | "drape" | "takes" | "hand-off";
export type Mood = "good" | "ready" | "nothing" | "stale" | "fault" | "busy";

export interface Knot {
  bench: Bench;
  name: string;
  said: string;
  mood: Mood;
}

export const benches: readonly { bench: Bench; name: string }[] = [
  { bench: "cast", name: "Cast" },
  { bench: "wardrobe", name: "Wardrobe" },
  { bench: "chalk", name: "Chalk" },
  { bench: "fasten", name: "Fasten" },
  { bench: "drape", name: "Drape" },
  { bench: "takes", name: "Takes" },
  { bench: "hand-off", name: "Hand-off" },
];

export function threadOf(
  document: ShotDocument,
  reading: Reading | undefined,
  takes: readonly Take[],
  deliveries: readonly Delivery[],
  stale: Readonly<Record<string, readonly string[]>> = {},
): Knot[] {
  const state: Record<Bench, { said: string; mood: Mood }> = {
    cast: castState(document, reading),
    wardrobe: wardrobeState(document, reading),
    chalk: chalkState(document),
    fasten: fastenState(document),
    drape: drapeState(document, stale),
    takes: takesState(takes),
    "hand-off": handoffState(deliveries, takes),
  };
  return benches.map(({ bench, name }) => ({ bench, name, ...state[bench] }));
}

function castState(document: ShotDocument, reading: Reading | undefined): { said: string; mood: Mood } {
  const cast = document.cast?.length ?? 0;
  const garments = document.garments.length;
  if (cast + garments === 0) return { said: "nothing yet", mood: "nothing" };
  if (reading === undefined) return { said: "reading…", mood: "busy" };
  const madeHere = document.garments.filter((garment) => garment.recipe.kind !== "file").map((garment) => garment.name);
  const faults = Object.keys(reading.faults).filter((name) => !madeHere.includes(name)).length;
  if (faults > 0) return { said: count(faults, "fault"), mood: "fault" };
  return { said: `${cast} in the cast, ${count(garments, "garment")}`, mood: "good" };
}

function wardrobeState(document: ShotDocument, reading: Reading | undefined): { said: string; mood: Mood } {
  const { garments } = document;
  if (garments.length === 0) return { said: "no garment yet", mood: "nothing" };
  const made = garments.filter((garment) => garment.recipe.kind !== "file");
  const waits = (name: string) => reading?.garments[name]?.making?.sewn?.worn === false;
  if (made.some((garment) => reading?.faults[garment.name] !== undefined && !waits(garment.name))) return { said: "a garment is not right", mood: "fault" };
  const unsewn = garments.filter((garment) => waits(garment.name)).length;
  if (unsewn > 0) return { said: `${count(unsewn, "garment")} to sew`, mood: "ready" };
  return { said: count(garments.length, "garment"), mood: "good" };
}

function chalkState(document: ShotDocument): { said: string; mood: Mood } {
  if (document.garments.length === 0) return { said: "no garment yet", mood: "nothing" };
  const maps = document.garments.flatMap((garment) => garment.maps ?? []);
  if (maps.length === 0) return { said: "nothing drawn", mood: "ready" };
  return { said: `${count(maps.length, "map")}, ${maps.filter((map) => map.in_use).length} in use`, mood: "good" };
}

function fastenState(document: ShotDocument): { said: string; mood: Mood } {
  const holds = document.garments.reduce((total, garment) => total + (garment.holds?.length ?? 0), 0);
  if (document.garments.length === 0) return { said: "no garment yet", mood: "nothing" };
  return holds === 0 ? { said: "nothing held", mood: "ready" } : { said: count(holds, "hold"), mood: "good" };
}

function drapeState(document: ShotDocument, stale: Readonly<Record<string, readonly string[]>>): { said: string; mood: Mood } {
  const fittings = document.fittings ?? [];
  if (document.garments.length === 0) return { said: "no garment yet", mood: "nothing" };
  if (fittings.length === 0) return { said: "nothing kept", mood: "ready" };
  const old = fittings.filter((one) => (stale[one.name] ?? []).length > 0).length;
  if (old === fittings.length) return { said: `${count(old, "fitting")}, stale`, mood: "stale" };
  return { said: count(fittings.length, "fitting"), mood: "good" };
}

function takesState(takes: readonly Take[]): { said: string; mood: Mood } {
  const running = takes.find((take) => take.state === "running" || take.state === "waiting");
  if (running) return { said: `${running.name} ${takeState(running)}`, mood: "busy" };
  const latest = takes[0];
  if (latest === undefined) return { said: "nothing yet", mood: "nothing" };
  if (latest.state === "failed") return { said: `${latest.name} could not be ${latest.origin === "brought in" ? "brought in" : "run"}`, mood: "fault" };
  if (latest.stale.length > 0) return { said: `${latest.name} is stale`, mood: "stale" };
  return { said: `${latest.name} ${takeState(latest)}`, mood: latest.state === "finished" ? "good" : "ready" };
}

function handoffState(deliveries: readonly Delivery[], takes: readonly Take[]): { said: string; mood: Mood } {
  const latest = deliveries[0];
  if (latest === undefined) {
    const any = takes.some((take) => take.state === "finished");
    return any ? { said: "ready", mood: "ready" } : { said: "nothing yet", mood: "nothing" };
  }
  if (latest.state === "waiting" || latest.state === "writing") return { said: "being written", mood: "busy" };
  if (latest.state !== "ready") return { said: "a check failed", mood: "fault" };
  const take = takes.find((one) => one.id === latest.take);
  if (take !== undefined && take.stale.length > 0) return { said: "delivered, now stale", mood: "stale" };
  return { said: count(deliveries.length, "delivery", "deliveries"), mood: "good" };
}
