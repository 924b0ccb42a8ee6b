/** Snags and remedies in words, and as bars on the tape. */
import type { Proof, Remedy, Snag } from "../api/client";
import { capital, count } from "./words";

export type Verb = "ease out" | "untangle" | "run again here" | "roomier" | "smooth in time" | "smooth the cloth";

export const REMEDIES: readonly { verb: Verb; name: string; said: string }[] = [
  { verb: "ease out", name: "Ease out", said: "out of bodies and cloth, by the shortest way to the side it came from" },
  { verb: "run again here", name: "Run again here", said: "simulates this place alone, joined to the take all around" },
  { verb: "roomier", name: "Roomier", said: "draws the body in here, then runs again" },
  { verb: "untangle", name: "Untangle", said: "draws cloth out of cloth, frame by frame" },
  { verb: "smooth in time", name: "Smooth in time", said: "for pops and jitter" },
  { verb: "smooth the cloth", name: "Smooth the cloth", said: "for a crumpled place" },
];

/** The remedy that is the likeliest to help a kind of snag: drawn as the first choice. */
export function bestFor(kind: string): Verb {
  if (kind === "jump" || kind === "jitter at rest") return "smooth in time";
  if (kind === "pinched") return "roomier";
  if (kind === "overstretch" || kind === "crumple" || kind === "off its hold") return "run again here";
  return "ease out";
}

/** "Left elbow, sleeve in the lamplighter" */
export function snagTitle(snag: Snag): string {
  const where = snag.where === "" ? "" : `${capital(snag.where)}, `;
  const said = snag.where === "" ? capital : (words: string) => words;
  switch (snag.kind) {
    case "in the body":
    case "shows through":
      return `${where}${said(snag.garment)} in the ${snag.with_what}`;
    case "pinched":
      return `${where}${said(snag.garment)} pinched`;
    case "through itself":
      return `${where}${said(snag.garment)} through itself`;
    case "through another garment":
      return `${where}${said(snag.garment)} through the ${snag.with_what}`;
    case "jump":
      return `${where}${said(snag.garment)} jumps`;
    case "overstretch":
      return `${where}${said(snag.garment)} overstretched`;
    case "crumple":
      return `${where}${said(snag.garment)} crumpled`;
    case "off its hold":
      return `${where}${said(snag.garment)} off ${snag.with_what}`;
    default:
      return `${where}${said(snag.garment)}: ${snag.kind}`;
  }
}

/** "1059–1096 · 6.1 mm · 14 cm²" */
export function snagFigures(snag: Snag): string {
  const frames = snag.first === snag.last ? `${snag.first}` : `${snag.first}–${snag.last}`;
  const depth = snag.kind === "overstretch" ? `${(100 * snag.strain).toFixed(0)} %` : `${figure(1e3 * snag.depth)} mm`;
  return `${frames} · ${depth} · ${figure(1e4 * snag.area)} cm²`;
}

function figure(value: number): string {
  return value >= 10 ? value.toFixed(0) : value.toFixed(1);
}

export function open(snags: readonly Snag[]): Snag[] {
  return snags.filter((snag) => snag.accepted === null);
}

/** "before 214 → after 0 crossings" */
export function crossings(proof: Proof): { before: number; after: number } {
  const sum = (all: readonly number[]) => all.reduce((total, one) => total + one, 0);
  return { before: sum(proof.before), after: sum(proof.after) };
}

/** What a remedy measured, a line each. */
export function proofLines(proof: Proof): string[] {
  const { before, after } = crossings(proof);
  const clean = proof.after.filter((pairs) => pairs === 0).length;
  const lines = [
    `crossings ${before} before, ${after} after, counted exactly in ${count(proof.frames.length, "frame")}, ${clean} of them clean`,
    ...Object.entries(proof.faults)
      .filter(([, [one, other]]) => one !== other)
      .map(([kind, [one = 0, other = 0]]) => `${kind}: ${one} vertices before, ${other} after`),
    `moved by ${(1e3 * proof.furthest).toFixed(1)} mm at most`,
  ];
  return [...lines, `at the joins velocity changes by ${proof.join.toFixed(2)} m/s more; the take’s own changes there: ${proof.usual.toFixed(2)} m/s`];
}

export function remedyState(remedy: Remedy): string {
  switch (remedy.state) {
    case "waiting":
      return "waiting for a worker";
    case "working":
      return `${Math.round(100 * remedy.share)} %`;
    case "proposal":
      return "no better, so only proposed";
    case "failed":
      return "could not be done";
    case "kept":
      return remedy.is_on ? "" : "off";
  }
}

export interface Bar {
  snag: Snag;
  row: number;
}

/** Snags as bars in as few rows as they fit, at most `rows`: what does not fit lies on the last. */
export function bars(snags: readonly Snag[], rows: number): Bar[] {
  const ends: number[] = [];
  return snags.map((snag) => {
    const free = ends.findIndex((end) => end + 1 < snag.first);
    const row = free >= 0 ? free : Math.min(ends.length, rows - 1);
    ends[row] = Math.max(ends[row] ?? -Infinity, snag.last);
    return { snag, row };
  });
}
