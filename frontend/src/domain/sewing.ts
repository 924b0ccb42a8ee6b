/** Pieces on the table: where each lies, what is under the pointer, and edits of them. All in mm. */
import type { PieceReading, PieceRecord, SeamReading, SeamRecord, SewnMaking, SewnRecipe } from "../api/client";
import { freeName } from "./edits";

export type Spot = readonly [number, number];

const ASIDE = 60; // mm between pieces
const EDGE = 70; // mm of table around them
const WIDEST = 1500; // mm of a row of pieces
const NEAR_POINT = 14; // mm within which a point is meant
const NEAR_EDGE = 12;

/** A piece where it lies. */
export interface Lying {
  piece: PieceReading;
  /** What its own coordinates are moved by. */
  by: Spot;
}

/** All pieces on the table, whose lower left corner is (0, 0). */
export interface Table {
  lying: Lying[];
  width: number;
  height: number;
}

function box(lines: readonly Spot[]): [number, number, number, number] {
  return [Math.min(...lines.map(([x]) => x)), Math.min(...lines.map(([, y]) => y)), Math.max(...lines.map(([x]) => x)), Math.max(...lines.map(([, y]) => y))];
}

/** Lay pieces in rows, in their order; those that are alike but for their side lie beside each other. */
export function laidOut(pieces: readonly PieceReading[]): Table {
  const rows: { at: Lying[]; height: number }[] = [];
  let across = EDGE;
  let width = 0;
  for (const piece of pieces) {
    const [left, low, right, high] = box(piece.edges.flatMap((edge) => edge.line_mm));
    if (rows.length === 0 || across + right - left > WIDEST) {
      rows.push({ at: [], height: 0 });
      across = EDGE;
    }
    const row = rows[rows.length - 1];
    if (row === undefined) continue;
    row.at.push({ piece, by: [across - left, -low] });
    row.height = Math.max(row.height, high - low);
    across += right - left + ASIDE;
    width = Math.max(width, across - ASIDE + EDGE);
  }
  let up = EDGE;
  const lying: Lying[] = [];
  for (const row of [...rows].reverse()) {
    lying.push(...row.at.map(({ piece, by }) => ({ piece, by: [by[0], by[1] + up] as Spot })));
    up += row.height + ASIDE;
  }
  const order = new Map(pieces.map((piece, at) => [piece.name, at]));
  lying.sort((a, b) => (order.get(a.piece.name) ?? 0) - (order.get(b.piece.name) ?? 0));
  return { lying, width, height: up - ASIDE + EDGE };
}

/** What of the pattern is meant: a point of a run, a place on an edge, or a piece. */
export type Meant =
  | { kind: "point"; piece: string; run: string; at: number }
  | { kind: "edge"; piece: string; run: string; share: number }
  | { kind: "piece"; piece: string };

/** What lies under a place of the table. */
export function under(table: Table, [x, y]: Spot): Meant | null {
  let best: { away: number; meant: Meant } | null = null;
  for (const { piece, by } of table.lying) {
    const here: Spot = [x - by[0], y - by[1]];
    for (const run of piece.runs) {
      for (const [at, point] of run.points_mm.entries()) {
        const away = Math.hypot(point[0] - here[0], point[1] - here[1]);
        if (away < NEAR_POINT && (best === null || away < best.away)) best = { away, meant: { kind: "point", piece: piece.name, run: run.name, at } };
      }
    }
  }
  if (best !== null) return best.meant;
  for (const { piece, by } of table.lying) {
    const here: Spot = [x - by[0], y - by[1]];
    for (const edge of piece.edges) {
      const found = nearest(edge.line_mm, here);
      if (found.away < NEAR_EDGE && (best === null || found.away < best.away)) best = { away: found.away, meant: { kind: "edge", piece: piece.name, run: edge.name, share: found.share } };
    }
  }
  if (best !== null) return best.meant;
  for (const { piece, by } of table.lying) {
    if (inside(piece.edges.flatMap((edge) => edge.line_mm), [x - by[0], y - by[1]])) return { kind: "piece", piece: piece.name };
  }
  return null;
}

/** How far a line lies from a place, and at which share of its length. */
export function nearest(line: readonly Spot[], [x, y]: Spot): { away: number; share: number } {
  let along = 0;
  let best = { away: Infinity, at: 0 };
  for (let k = 1; k < line.length; k += 1) {
    const [a, b] = [line[k - 1] as Spot, line[k] as Spot];
    const size = Math.hypot(b[0] - a[0], b[1] - a[1]);
    const t = size === 0 ? 0 : Math.min(1, Math.max(0, ((x - a[0]) * (b[0] - a[0]) + (y - a[1]) * (b[1] - a[1])) / (size * size)));
    const away = Math.hypot(a[0] + t * (b[0] - a[0]) - x, a[1] + t * (b[1] - a[1]) - y);
    if (away < best.away) best = { away, at: along + t * size };
    along += size;
  }
  return { away: best.away, share: along === 0 ? 0 : best.at / along };
}

/** The place at a share of a line's length. */
export function placeAt(line: readonly Spot[], share: number): Spot {
  const sizes = line.slice(1).map((point, k) => Math.hypot(point[0] - (line[k] as Spot)[0], point[1] - (line[k] as Spot)[1]));
  let left = share * sizes.reduce((sum, size) => sum + size, 0);
  for (const [k, size] of sizes.entries()) {
    if (left <= size || k === sizes.length - 1) {
      const [a, b] = [line[k] as Spot, line[k + 1] as Spot];
      const t = size === 0 ? 0 : Math.min(1, left / size);
      return [a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1])];
    }
    left -= size;
  }
  return line[0] ?? [0, 0];
}

function inside(ring: readonly Spot[], [x, y]: Spot): boolean {
  let odd = false;
  for (const [k, [ax, ay]] of ring.entries()) {
    const [bx, by] = ring[(k + 1) % ring.length] as Spot;
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) odd = !odd;
  }
  return odd;
}

/** A recipe whose pieces are its own: those that its block drafts, where it had none. */
export function ownPieces(recipe: SewnRecipe, making: SewnMaking): SewnRecipe {
  if (recipe.pieces.length > 0) return recipe;
  return { ...recipe, pieces: making.pieces.map(bare), seams: making.seams.map(bareSeam) };
}

function bare({ name, runs, hang, grain, lines, notches }: PieceReading): PieceRecord {
  return { name, runs, hang, grain, lines, notches };
}

function bareSeam({ one, other, turned, gathers, elastic, bend, basted, every_mm, undone }: SeamReading): SeamRecord {
  return { one, other, turned, gathers, elastic, bend, basted, every_mm, undone };
}

/** The name of the piece for the other side of the body; null where there is none. */
export function otherSide(name: string): string | null {
  if (/\bleft\b/.test(name)) return name.replace(/\bleft\b/, "right");
  return /\bright\b/.test(name) ? name.replace(/\bright\b/, "left") : null;
}

const SAME = 1.5; // mm within which two points mirror each other

/** The recipe with a point elsewhere; what mirrors it, in its piece or in the piece of the other side, goes too. */
export function movedPoint(recipe: SewnRecipe, meant: { piece: string; run: string; at: number }, to: Spot, mirrored: boolean): SewnRecipe {
  const own = recipe.pieces.find((piece) => piece.name === meant.piece);
  const from = own?.runs.find((run) => run.name === meant.run)?.points_mm[meant.at];
  if (own === undefined || from === undefined) return recipe;
  const twin = otherSide(own.name);
  const mine = recipe.pieces.some((piece) => piece.name === twin) ? twin : null;
  const back: Spot = [-to[0], to[1]];
  return {
    ...recipe,
    pieces: recipe.pieces.map((piece) => {
      const here = piece.name === own.name;
      const other = mirrored && (mine === null ? here : piece.name === mine);
      if (!here && !other) return piece;
      return {
        ...piece,
        runs: piece.runs.map((run) => ({
          ...run,
          points_mm: run.points_mm.map((point, at): [number, number] => {
            if (here && run.name === meant.run && at === meant.at) return [to[0], to[1]];
            const mirrors = other && Math.hypot(point[0] + from[0], point[1] - from[1]) < SAME;
            return mirrors ? [back[0], back[1]] : [point[0], point[1]];
          }),
        })),
      };
    }),
  };
}

/** The edge that mirrors an edge, in its own piece or in the piece of the other side; null where none does. */
export function mirrorEdge(recipe: SewnRecipe, piece: string, run: string): { piece: string; run: string } | null {
  const line = cornersOf(recipe, piece, run);
  const twin = otherSide(piece);
  const there = recipe.pieces.find((one) => one.name === twin) ?? recipe.pieces.find((one) => one.name === piece);
  if (line === null || there === undefined) return null;
  const image = line.map(([x, y]): Spot => [-x, y]).reverse();
  const found = there.runs.find((one) => {
    const other = cornersOf(recipe, there.name, one.name);
    return other !== null && other.length === image.length && other.every(([x, y], k) => Math.hypot(x - (image[k]?.[0] ?? Infinity), y - (image[k]?.[1] ?? Infinity)) < SAME);
  });
  return found === undefined ? null : { piece: there.name, run: found.name };
}

/** The points of an edge and the corner that it ends in. */
function cornersOf(recipe: SewnRecipe, piece: string, run: string): Spot[] | null {
  const own = recipe.pieces.find((one) => one.name === piece);
  const at = own?.runs.findIndex((one) => one.name === run) ?? -1;
  const after = own?.runs[(at + 1) % own.runs.length]?.points_mm[0];
  return own === undefined || at < 0 || after === undefined ? null : [...(own.runs[at]?.points_mm ?? []), after];
}

/** The recipe with a point more on an edge, and on the edge that mirrors it. */
export function addedPoint(recipe: SewnRecipe, piece: string, run: string, line: readonly Spot[], share: number, mirrored: boolean): SewnRecipe {
  const twin = mirrored ? mirrorEdge(recipe, piece, run) : null;
  const made = withPoint(recipe, piece, run, line, share);
  const itself = twin?.piece === piece && twin.run === run;
  if (twin === null || (itself && Math.abs(share - 0.5) < 0.02)) return made;
  return withPoint(made, twin.piece, twin.run, line.map(([x, y]): Spot => [-x, y]).reverse(), 1 - share);
}

function withPoint(recipe: SewnRecipe, piece: string, run: string, line: readonly Spot[], share: number): SewnRecipe {
  const place = placeAt(line, share);
  return withRun(recipe, piece, run, (points, after) => inserted(points, after, line, share, [round(place[0]), round(place[1])]));
}

/** An edge's points with one more, at a share of the line that it is drawn as. */
function inserted(points: [number, number][], after: Spot, line: readonly Spot[], share: number, spot: [number, number]): [number, number][] {
  const shares = [...points, after].map((point) => nearest(line, point).share);
  shares[points.length] = 1;
  const before = shares.findIndex((one, k) => k > 0 && one > share);
  const at = before < 0 ? points.length : before;
  return [...points.slice(0, at), spot, ...points.slice(at)];
}

/** The recipe without a point and what mirrors it; the first of an edge is a corner and stays. */
export function withoutPoint(recipe: SewnRecipe, piece: string, run: string, at: number, mirrored: boolean): SewnRecipe {
  if (at === 0) return recipe;
  const twin = mirrored ? mirrorEdge(recipe, piece, run) : null;
  const other = (cornersOf(recipe, piece, run)?.length ?? 0) - 1 - at;
  const itself = twin?.piece === piece && twin.run === run;
  const made = withRun(recipe, piece, run, (points) => points.filter((_, k) => k !== at && !(itself && k === other)));
  return twin === null || itself ? made : withRun(made, twin.piece, twin.run, (points) => points.filter((_, k) => k !== other));
}

/** The recipe with an edge, and the one that mirrors it, straight from point to point, or a curve through them. */
export function bent(recipe: SewnRecipe, piece: string, run: string, smooth: boolean, mirrored: boolean): SewnRecipe {
  const twin = mirrored ? mirrorEdge(recipe, piece, run) : null;
  const meant = (name: string, edge: string) => (name === piece && edge === run) || (name === twin?.piece && edge === twin.run);
  return { ...recipe, pieces: recipe.pieces.map((one) => ({ ...one, runs: one.runs.map((edge) => (meant(one.name, edge.name) ? { ...edge, smooth } : edge)) })) };
}

/** The recipe with an edge cut in two at one of its points, and the edge that mirrors it too; seams take both. */
export function splitAt(recipe: SewnRecipe, piece: string, run: string, at: number, mirrored: boolean): SewnRecipe {
  const twin = mirrored ? mirrorEdge(recipe, piece, run) : null;
  const other = (cornersOf(recipe, piece, run)?.length ?? 0) - 1 - at;
  const made = splitOnce(recipe, piece, run, at);
  return twin === null || (twin.piece === piece && twin.run === run) ? made : splitOnce(made, twin.piece, twin.run, other);
}

function splitOnce(recipe: SewnRecipe, piece: string, run: string, at: number): SewnRecipe {
  const own = recipe.pieces.find((one) => one.name === piece);
  const edge = own?.runs.find((one) => one.name === run);
  if (own === undefined || edge === undefined || at <= 0 || at >= edge.points_mm.length) return recipe;
  const taken = own.runs.map((one) => one.name);
  let number = 2;
  while (taken.includes(`${run} ${number}`)) number += 1;
  const name = `${run} ${number}`;
  const runs = own.runs.flatMap((one) => (one.name === run ? [{ ...one, points_mm: one.points_mm.slice(0, at) }, { ...one, name, points_mm: one.points_mm.slice(at) }] : [one]));
  // Each side of a seam lists its edges in the order in which the seam runs: the first side forwards, the other backwards.
  const side = (keys: SeamRecord["one"], backwards: boolean): SeamRecord["one"] =>
    keys.flatMap((key): SeamRecord["one"] => {
      if (key[0] !== piece || key[1] !== run) return [key];
      return backwards ? [[piece, name], [piece, run]] : [[piece, run], [piece, name]];
    });
  return {
    ...recipe,
    pieces: recipe.pieces.map((one) => (one.name === piece ? { ...one, runs } : one)),
    seams: recipe.seams.map((seam) => ({ ...seam, one: side(seam.one, false), other: side(seam.other, !seam.turned) })),
  };
}

/** The recipe with a straight edge of another length: its end moves along it. */
export function lengthened(recipe: SewnRecipe, piece: string, run: string, length: number, mirrored: boolean): SewnRecipe {
  const own = recipe.pieces.find((one) => one.name === piece);
  const at = own?.runs.findIndex((one) => one.name === run) ?? -1;
  const edge = own?.runs[at];
  const after = own?.runs[(at + 1) % own.runs.length];
  const [first, end] = [edge?.points_mm.at(-1), after?.points_mm[0]];
  if (own === undefined || edge === undefined || after === undefined || first === undefined || end === undefined) return recipe;
  const whole = [...edge.points_mm, end];
  const size = whole.slice(1).reduce((sum, point, k) => sum + Math.hypot(point[0] - (whole[k] as Spot)[0], point[1] - (whole[k] as Spot)[1]), 0);
  const last = Math.hypot(end[0] - first[0], end[1] - first[1]);
  const grown = (last + length - size) / Math.max(last, 1e-6);
  if (grown <= 0.02) return recipe;
  const to: Spot = [round(first[0] + grown * (end[0] - first[0])), round(first[1] + grown * (end[1] - first[1]))];
  return movedPoint(recipe, { piece, run: after.name, at: 0 }, to, mirrored);
}

function withRun(recipe: SewnRecipe, piece: string, run: string, change: (points: [number, number][], after: Spot) => [number, number][]): SewnRecipe {
  return {
    ...recipe,
    pieces: recipe.pieces.map((one) => {
      if (one.name !== piece) return one;
      return {
        ...one,
        runs: one.runs.map((edge, k) => {
          if (edge.name !== run) return edge;
          const after = one.runs[(k + 1) % one.runs.length]?.points_mm[0] ?? [0, 0];
          return { ...edge, points_mm: change(edge.points_mm.map(([x, y]): [number, number] => [x, y]), after) };
        }),
      };
    }),
  };
}

const round = (value: number) => Math.round(value * 10) / 10;

/** How a seam's sides fit, in words. */
export function fitSaid(seam: SeamReading): string {
  const [low, high] = [Math.min(seam.one_mm, seam.other_mm), Math.max(seam.one_mm, seam.other_mm)];
  const more = high / Math.max(low, 1e-9) - 1;
  if (more < 0.002) return `${Math.round(low)} mm`;
  if (seam.gathers) return `${Math.round(high)} mm on ${Math.round(low)}, gathered ${(1 + more).toFixed(2)} times`;
  return `${Math.round(high)} mm on ${Math.round(low)}, eased ${(100 * more).toFixed(1)} %`;
}

/** A side of a seam in words. */
export function sideSaid(side: SeamRecord["one"]): string {
  return side.map(([piece, run]) => `${piece}, ${run}`).join(" and ");
}

/** What came of bringing pieces in. */
export interface Brought {
  recipe: SewnRecipe;
  replaced: number;
  added: number;
  /** Seams that were taken out, since an edge of theirs is gone. */
  lost: number;
}

/** The recipe with pieces of a drawing: those of a name that is there take its place, others come beside. */
export function withPieces(recipe: SewnRecipe, pieces: readonly PieceRecord[]): Brought {
  const coming = new Map(pieces.map((piece) => [piece.name, piece]));
  const there = new Set(recipe.pieces.map((piece) => piece.name));
  const added = pieces.filter((piece) => !there.has(piece.name)).map((piece, k) => (isHung(piece) ? piece : { ...piece, hang: { ...piece.hang, at_mm: [0, Math.max(0, 1000 - 150 * k)] as [number, number] } }));
  const whole = [...recipe.pieces.map((piece) => coming.get(piece.name) ?? piece), ...added];
  const edges = new Set(whole.flatMap((piece) => piece.runs.map((run) => `${piece.name}\n${run.name}`)));
  const seams = recipe.seams.filter((seam) => [...seam.one, ...seam.other].every(([piece, run]) => edges.has(`${piece}\n${run}`)));
  return { recipe: { ...recipe, pieces: whole, seams }, replaced: recipe.pieces.filter((piece) => coming.has(piece.name)).length, added: added.length, lost: recipe.seams.length - seams.length };
}

/** Whether a piece says where it hangs. */
function isHung({ hang }: PieceRecord): boolean {
  return hang.part !== "torso" || hang.layer !== "front" || hang.at_mm[0] !== 0 || hang.at_mm[1] !== 0 || hang.turn !== 0 || hang.folds_mm.length > 0 || hang.follows.length > 0;
}

/** The recipe with a piece more: its mirror image, hung on the other side of the body. */
export function mirrorImage(recipe: SewnRecipe, name: string): SewnRecipe {
  const own = recipe.pieces.find((piece) => piece.name === name);
  if (own === undefined) return recipe;
  const over = ([x, y]: readonly [number, number]): [number, number] => [x === 0 ? 0 : -x, y];
  const runs = own.runs.map((run, k) => {
    const end = own.runs[(k + 1) % own.runs.length]?.points_mm[0] ?? run.points_mm[0] ?? [0, 0];
    return { ...run, points_mm: [end, ...run.points_mm.slice(1).reverse()].map(over) };
  }).reverse();
  const length = (run: string) => lineLength(own, run);
  const hang = {
    ...own.hang,
    part: (otherSide(own.hang.part) ?? own.hang.part) as typeof own.hang.part,
    folds_mm: own.hang.folds_mm.map((x) => (x === 0 ? 0 : -x)).sort((a, b) => a - b),
    // A folded piece's layer is its leftmost part's, which was its rightmost.
    layer: own.hang.folds_mm.length % 2 === 1 ? (own.hang.layer === "front" ? "back" as const : "front" as const) : own.hang.layer,
    at_mm: over(own.hang.at_mm),
    turn: own.hang.turn === 0 ? 0 : -own.hang.turn,
    follows: [...own.hang.follows].reverse(),
  };
  const twin: PieceRecord = {
    ...own,
    name: freeName(otherSide(name) ?? name, recipe.pieces.map((piece) => piece.name)),
    runs,
    hang,
    grain: own.grain === 0 ? 0 : -own.grain,
    lines: own.lines.map((line) => ({ ...line, points_mm: line.points_mm.map(over) })),
    notches: own.notches.map((notch) => ({ ...notch, along_mm: Math.max(0, length(notch.run) - notch.along_mm) })),
  };
  return { ...recipe, pieces: [...recipe.pieces, twin] };
}

/** Length of an edge's points, mm: of its chords, where it is bent. */
function lineLength(piece: PieceRecord, run: string): number {
  const at = piece.runs.findIndex((one) => one.name === run);
  const after = piece.runs[(at + 1) % piece.runs.length]?.points_mm[0];
  const line = [...(piece.runs[at]?.points_mm ?? []), ...(after === undefined ? [] : [after])];
  return line.slice(1).reduce((sum, [x, y], k) => sum + Math.hypot(x - (line[k]?.[0] ?? x), y - (line[k]?.[1] ?? y)), 0);
}

/** A place on a piece's outline: one of its points, or a share of an edge, which is drawn as a line. */
export type OnOutline = { kind: "point"; run: string; at: number } | { kind: "edge"; run: string; share: number };

/** The recipe with a piece cut in two along the straight line between two places of its outline, and the two sewn
 * together there; null where no line leads from one to the other within the piece. */
export function cutAlong(recipe: SewnRecipe, name: string, from: OnOutline, to: OnOutline, lines: ReadonlyMap<string, readonly Spot[]>): SewnRecipe | null {
  const spotOf = (place: OnOutline): Spot | undefined =>
    place.kind === "point" ? recipe.pieces.find((piece) => piece.name === name)?.runs.find((run) => run.name === place.run)?.points_mm[place.at] : placeAt(lines.get(place.run) ?? [], place.share);
  const [start, end] = [spotOf(from), spotOf(to)];
  if (start === undefined || end === undefined || Math.hypot(end[0] - start[0], end[1] - start[1]) < 5) return null;
  let made = recipe;
  for (const place of [from, to]) {
    const line = lines.get(place.run);
    if (place.kind === "edge" && line !== undefined) made = addedAt(made, name, placeAt(line, place.share));
  }
  const corners: string[] = [];
  for (const spot of [start, end]) {
    const found = cornerAt(made, name, spot);
    if (found === null) return null;
    made = found.recipe;
    corners.push(found.run);
  }
  const own = made.pieces.find((piece) => piece.name === name);
  const [i, j] = corners.map((run) => own?.runs.findIndex((one) => one.name === run) ?? -1);
  if (own === undefined || i === undefined || j === undefined || i < 0 || j < 0 || i === j) return null;
  const outline = own.runs.flatMap((run) => run.points_mm);
  if (!leadsWithin(outline, start, end)) return null;
  const round = (a: number, b: number) => (a < b ? own.runs.slice(a, b) : [...own.runs.slice(a), ...own.runs.slice(0, b)]);
  const [near, far] = [round(i, j), round(j, i)];
  const taken = made.pieces.map((piece) => piece.name);
  const other = freeName(name, taken);
  const edge = freeName("cut", own.runs.map((run) => run.name));
  const at = (spot: Spot): [number, number] => [spot[0], spot[1]];
  const cutRun = (spot: Spot) => ({ name: edge, points_mm: [at(spot)], smooth: false });
  const parts: [string, typeof near, Spot][] = [[name, near, end], [other, far, start]];
  const pieces = parts.map(([called, runs, corner]): PieceRecord => {
    const names = new Set(runs.map((run) => run.name));
    const ring = [...runs.flatMap((run) => run.points_mm), corner];
    const [low, , high] = box(ring);
    return {
      ...own,
      name: called,
      runs: [...runs, cutRun(corner)],
      hang: { ...own.hang, folds_mm: own.hang.folds_mm.filter((x) => x > low && x < high), follows: own.hang.follows.filter((run) => names.has(run)) },
      lines: own.lines.filter((line) => line.points_mm.every((point) => inside(ring, point))),
      notches: own.notches.filter((notch) => names.has(notch.run)),
    };
  });
  const moved = (keys: SeamRecord["one"]): SeamRecord["one"] => keys.map(([piece, run]) => (piece === name && far.some((one) => one.name === run) ? [other, run] : [piece, run]));
  return {
    ...made,
    pieces: made.pieces.flatMap((piece) => (piece.name === name ? pieces : [piece])),
    seams: [...made.seams.map((seam) => ({ ...seam, one: moved(seam.one), other: moved(seam.other) })), plainSeam([[name, edge]], [[other, edge]])],
  };
}

/** A seam as it is sewn until something else is said of it. */
export function plainSeam(one: SeamRecord["one"], other: SeamRecord["other"]): SeamRecord {
  return { one, other, turned: false, gathers: false, elastic: 1, bend: 1, basted: false, every_mm: null, undone: false };
}

/** The recipe with a point on whichever edge of a piece lies at a place. */
function addedAt(recipe: SewnRecipe, name: string, spot: Spot): SewnRecipe {
  const own = recipe.pieces.find((piece) => piece.name === name);
  if (own === undefined || own.runs.some((run) => run.points_mm.some((point) => Math.hypot(point[0] - spot[0], point[1] - spot[1]) < 1))) return recipe;
  let best: { away: number; run: string; share: number; line: Spot[] } | null = null;
  for (const run of own.runs) {
    const line = cornersOf(recipe, name, run.name) ?? [];
    const found = nearest(line, spot);
    if (best === null || found.away < best.away) best = { ...found, run: run.name, line };
  }
  if (best === null) return recipe;
  const { run, line, share } = best;
  return withRun(recipe, name, run, (points, after) => inserted(points, after, line, share, [spot[0], spot[1]]));
}

/** The recipe in which an edge of a piece begins at a place, and that edge; null where there is no point. */
function cornerAt(recipe: SewnRecipe, name: string, spot: Spot): { recipe: SewnRecipe; run: string } | null {
  const own = recipe.pieces.find((piece) => piece.name === name);
  for (const run of own?.runs ?? []) {
    const at = run.points_mm.findIndex((point) => Math.hypot(point[0] - spot[0], point[1] - spot[1]) < 1);
    if (at === 0) return { recipe, run: run.name };
    if (at < 0) continue;
    const split = splitAt(recipe, name, run.name, at, false);
    const runs = split.pieces.find((piece) => piece.name === name)?.runs ?? [];
    const after = runs[runs.findIndex((one) => one.name === run.name) + 1];
    return after === undefined ? null : { recipe: split, run: after.name };
  }
  return null;
}

/** Whether a straight line between two places of an outline stays within it, and off it but for its ends. */
function leadsWithin(ring: readonly Spot[], [ax, ay]: Spot, [bx, by]: Spot): boolean {
  const closed = [...ring, ring[0] ?? [0, 0]] as Spot[];
  return [0.05, 0.1, 0.25, 0.4, 0.5, 0.6, 0.75, 0.9, 0.95].every((share) => {
    const spot: Spot = [ax + share * (bx - ax), ay + share * (by - ay)];
    return inside(ring, spot) && nearest(closed, spot).away > 0.2;
  });
}

/** The recipe with a plain square piece more, to be drawn into shape. */
export function anotherPiece(recipe: SewnRecipe, side = 300): SewnRecipe {
  const corners: [number, number][] = [[-side / 2, 0], [side / 2, 0], [side / 2, side], [-side / 2, side]];
  const runs = ["low", "right", "top", "left"].map((name, k) => ({ name, points_mm: [corners[k] ?? [0, 0]] as [number, number][], smooth: false }));
  const piece: PieceRecord = { name: freeName("piece", recipe.pieces.map((one) => one.name)), runs, hang: { part: "torso", layer: "front", folds_mm: [], at_mm: [0, 1000], turn: 0, follows: [] }, grain: 0, lines: [], notches: [] };
  return { ...recipe, pieces: [...recipe.pieces, piece] };
}

/** The recipe without a piece and its seams. */
export function withoutPiece(recipe: SewnRecipe, name: string): SewnRecipe {
  return { ...recipe, pieces: recipe.pieces.filter((piece) => piece.name !== name), seams: recipe.seams.filter((seam) => [...seam.one, ...seam.other].every(([piece]) => piece !== name)) };
}

/** The recipe with a piece hung otherwise; its twin on the other side of the body too, where both are alike. */
export function hungAs(recipe: SewnRecipe, name: string, change: Partial<PieceRecord["hang"]>, mirrored: boolean): SewnRecipe {
  const twin = mirrored ? otherSide(name) : null;
  return {
    ...recipe,
    pieces: recipe.pieces.map((piece) => {
      if (piece.name === name) return { ...piece, hang: { ...piece.hang, ...change } };
      if (piece.name !== twin) return piece;
      const { part, at_mm: at, turn, ...rest } = change;
      return {
        ...piece,
        hang: { ...piece.hang, ...rest, ...(part === undefined ? {} : { part: (otherSide(part) ?? part) as typeof part }), ...(at === undefined ? {} : { at_mm: [at[0] === 0 ? 0 : -at[0], at[1]] as [number, number] }), ...(turn === undefined ? {} : { turn: turn === 0 ? 0 : -turn }) },
      };
    }),
  };
}

/** The recipe with a piece changed by `change`. */
export function withPiece(recipe: SewnRecipe, name: string, change: (piece: PieceRecord) => PieceRecord): SewnRecipe {
  return { ...recipe, pieces: recipe.pieces.map((piece) => (piece.name === name ? change(piece) : piece)) };
}

/** The recipe with a notch at a share of an edge that is `length` mm long. */
export function notched(recipe: SewnRecipe, name: string, run: string, share: number, length: number): SewnRecipe {
  return withPiece(recipe, name, (piece) => ({ ...piece, notches: [...piece.notches, { run, along_mm: round(share * length) }] }));
}

/** The recipe without the notches of an edge. */
export function withoutNotches(recipe: SewnRecipe, name: string, run: string): SewnRecipe {
  return withPiece(recipe, name, (piece) => ({ ...piece, notches: piece.notches.filter((notch) => notch.run !== run) }));
}

/** The recipe with a line drawn within a piece; its image too where the other side has a piece, or where it lies
 * wholly on one side of a piece. Null where it leaves the piece. */
export function withLine(recipe: SewnRecipe, name: string, points: readonly Spot[], mirrored: boolean): SewnRecipe | null {
  const own = recipe.pieces.find((piece) => piece.name === name);
  if (own === undefined || points.length < 2 || !lineWithin(own, points)) return null;
  const made = withPiece(recipe, name, (piece) => lined(piece, points));
  const sides = points.map(([x]) => Math.sign(x));
  const there = recipe.pieces.find((piece) => piece.name === otherSide(name)) ?? (sides.every((side) => side === sides[0] && side !== 0) ? own : undefined);
  const image = points.map(([x, y]): Spot => [x === 0 ? 0 : -x, y]);
  if (!mirrored || there === undefined || !lineWithin(there, image)) return made;
  return withPiece(made, there.name, (piece) => lined(piece, image));
}

function lined(piece: PieceRecord, points: readonly Spot[]): PieceRecord {
  const line = { name: freeName("line", piece.lines.map((one) => one.name)), points_mm: points.map(([x, y]): [number, number] => [round(x), round(y)]) };
  return { ...piece, lines: [...piece.lines, line] };
}

function lineWithin(piece: PieceRecord, points: readonly Spot[]): boolean {
  const outline = piece.runs.flatMap((run) => run.points_mm);
  return points.slice(1).every((point, k) => leadsWithin(outline, points[k] ?? point, point));
}

/** The recipe without a line of a piece. */
export function withoutLine(recipe: SewnRecipe, name: string, line: string): SewnRecipe {
  return withPiece(recipe, name, (piece) => ({ ...piece, lines: piece.lines.filter((one) => one.name !== line) }));
}

/** Places as they are typed, "x y" with commas between them; null where that cannot be read. */
export function placesOf(text: string): Spot[] | null {
  const places = text.split(/[,;]/).map((one) => one.trim().split(/\s+/).map(Number));
  return places.length >= 2 && places.every((place) => place.length === 2 && place.every(Number.isFinite)) ? places.map(([x, y]): Spot => [x ?? 0, y ?? 0]) : null;
}

/** The same in the other direction. */
export function placesSaid(points: readonly Spot[]): string {
  return points.map(([x, y]) => `${round(x)} ${round(y)}`).join(", ");
}
