/** The table of a sewn garment on the Wardrobe bench, the tool on it, and the cloth while it is sewn. */
import { useEffect, useMemo, useRef } from "react";
import type { Reading, SewnMaking, SewnRecipe, Shot } from "../api/client";
import { cutByGarment } from "../domain/fitting";
import { addedPoint, cutAlong, laidOut, type Meant, movedPoint, type OnOutline, ownPieces, plainSeam, type Spot, type Table, under, withLine } from "../domain/sewing";
import type { Scenery } from "../stage/scenery";
import type { Stage } from "../stage/stage";
import { watch } from "../state/fitting";
import { useRemake } from "../state/queries";
import { notify, useRoom } from "../state/room";
import { type TableState, useTable } from "../state/table";
import { TableTool } from "./tableTool";

/** The sewn garment at hand: its recipe and its pieces; null for any other. */
export function sewnAtHand(shot: Shot, reading: Reading | undefined, garment: string | null): { recipe: SewnRecipe; making: SewnMaking } | null {
  const recipe = shot.document.garments.find((one) => one.name === garment)?.recipe;
  const making = garment === null ? null : (reading?.garments[garment]?.making?.sewn ?? null);
  return recipe?.kind === "sewn" && making !== null ? { recipe, making } : null;
}

export function useTableTool(stage: Stage | null, scenery: Scenery | null, shot: Shot, reading: Reading | undefined, garment: string | null): TableTool | null {
  const active = useRoom((room) => room.bench === "wardrobe");
  const { lit, chosen, seam, sewing, cutting, lining, mirrored, set } = useTable();
  const tool = useMemo(() => new TableTool(), []);
  const remake = useRemake(shot);
  const sewn = sewnAtHand(shot, reading, garment);
  const kept = useRef<{ garment: string | null; making: SewnMaking } | null>(null);
  if (sewn !== null) kept.current = { garment, making: sewn.making };
  // While an edit is read the table stays as it was, and nothing on it answers.
  const waiting = sewn === null && kept.current?.garment === garment && shot.document.garments.some((one) => one.name === garment);
  const making = active ? (sewn?.making ?? (waiting ? (kept.current?.making ?? null) : null)) : null;
  const table = useMemo(() => (making === null ? null : laidOut(making.pieces)), [making]);

  useEffect(() => {
    set({ lit: null, chosen: null, seam: null, sewing: null, cutting: null, lining: null });
  }, [garment, set]);

  useEffect(() => {
    stage?.showTable(making === null || table === null ? null : { table, seams: making.seams, lit, chosen, seam, line: lining });
  }, [stage, making, table, lit, chosen, seam, lining]);

  useEffect(() => {
    if (stage === null || scenery === null || garment === null) return;
    const piece = lit?.piece ?? chosen?.piece ?? null;
    const key = scenery.madeKey(garment);
    if (key === null) return;
    const own = making?.pieces.find((one) => one.name === piece)?.triangles ?? null;
    stage.showPiece(own === null ? null : key, own ?? [0, 0]);
    return () => {
      stage.showPiece(null, [0, 0]);
    };
  }, [stage, scenery, garment, making, lit?.piece, chosen?.piece]);

  useEffect(() => {
    if (stage === null || making === null || table === null || garment === null || waiting) {
      tool.host = null;
      return;
    }
    const change = (by: (recipe: SewnRecipe) => SewnRecipe, said: string) => {
      remake.mutate(
        { garment, change: (before) => (before.kind === "sewn" ? by(ownPieces(before, making)) : before), said },
        {
          onError: () => {
            stage.showTable({ table, seams: making.seams, lit: null, chosen: null, seam: null, line: null });
          },
        },
      );
    };
    tool.host = {
      at: (x, y) => stage.tableAt(x, y),
      under: (place) => under(table, place),
      light: (meant) => {
        if (!same(meant, useTable.getState().lit)) set({ lit: meant, seam: seamOf(making, meant) });
      },
      choose: (meant) => {
        if (sewing !== null && meant?.kind === "edge") {
          const [piece, run] = sewing;
          set({ sewing: null, chosen: null });
          change((recipe) => ({ ...recipe, seams: [...recipe.seams, plainSeam([[piece, run]], [[meant.piece, meant.run]])] }), `${piece}, ${run} sewn to ${meant.piece}, ${meant.run}`);
          return;
        }
        if (cutting !== null && meant !== null && meant.kind !== "piece" && meant.piece === cutting.piece) {
          followCut(making, cutting, meant, change);
          return;
        }
        set({ chosen: meant });
      },
      draw: (place) => {
        if (lining === null) return false;
        const spot = within(table, lining.piece, place);
        const last = lining.points.at(-1);
        if (last === undefined || Math.hypot(spot[0] - last[0], spot[1] - last[1]) > ENDS) set({ lining: { ...lining, points: [...lining.points, spot] } });
        else keepLine(making, lining, mirrored, change);
        return true;
      },
      lead: (place) => {
        if (lining === null) return false;
        const line = { ...lining, points: [...lining.points, within(table, lining.piece, place)] };
        stage.showTable({ table, seams: making.seams, lit, chosen, seam, line });
        return true;
      },
      drop: () => {
        if (lining !== null) set({ lining: null });
      },
      show: (point, by) => {
        stage.showTable({ table: shifted(table, point, by, mirrored), seams: making.seams, lit: point, chosen, seam: null, line: null });
      },
      keep: (point, by) => {
        const from = making.pieces.find((one) => one.name === point.piece)?.runs.find((one) => one.name === point.run)?.points_mm[point.at];
        if (from === undefined) return;
        change((recipe) => movedPoint(recipe, point, [from[0] + by[0], from[1] + by[1]], mirrored), `a point of the ${point.piece} moved`);
      },
      add: (edge) => {
        const line = making.pieces.find((one) => one.name === edge.piece)?.edges.find((one) => one.name === edge.run)?.line_mm;
        if (line !== undefined) change((recipe) => addedPoint(recipe, edge.piece, edge.run, line, edge.share, mirrored), `a point on the ${edge.piece}'s ${edge.run}`);
      },
    };
  });

  useEffect(() => {
    if (!active || stage === null || scenery === null) return;
    const stop = watch({
      positions: (values, told) => {
        const now = cutByGarment(values, told.garments);
        for (const [name, key] of scenery.made()) {
          const positions = now.get(name);
          if (positions !== undefined) stage.cloths.move(key, positions);
        }
      },
      piece: (name, values) => {
        stage.moveBody(name, values);
      },
      parked: () => undefined,
    });
    return () => {
      stop();
      scenery.putBack();
    };
  }, [active, stage, scenery]);

  return making === null ? null : tool;
}

const ENDS = 12; // mm from its last point within which a press ends a line
const FINE = 5; // mm that its points snap to

/** A place of the table in the frame of a piece that lies on it. */
function within(table: Table, piece: string, [x, y]: Spot): Spot {
  const by = table.lying.find((one) => one.piece.name === piece)?.by ?? [0, 0];
  return [Math.round((x - by[0]) / FINE) * FINE, Math.round((y - by[1]) / FINE) * FINE];
}

/** Keep a line that was drawn on a piece. */
export function keepLine(making: SewnMaking, { piece, points }: NonNullable<TableState["lining"]>, mirrored: boolean, keep: (change: (recipe: SewnRecipe) => SewnRecipe, said: string) => void): void {
  const plain = { kind: "sewn", pieces: making.pieces, seams: making.seams } as unknown as SewnRecipe;
  if (withLine(plain, piece, points, mirrored) === null) {
    notify(`The line leaves the ${piece}, or has only one point`, "Press Esc, and draw it inside the outline", true);
    return;
  }
  useTable.getState().set({ lining: null });
  keep((recipe) => withLine(recipe, piece, points, mirrored) ?? recipe, `a line on the ${piece}`);
}

function same(a: Meant | null, b: Meant | null): boolean {
  return JSON.stringify(a) === JSON.stringify(b);
}

/** Choose a place of the outline while a piece is being cut: where the cut begins, or where it ends, which cuts. */
export function followCut(making: SewnMaking, { piece, from }: NonNullable<TableState["cutting"]>, place: OnOutline, keep: (change: (recipe: SewnRecipe) => SewnRecipe, said: string) => void): void {
  const { set } = useTable.getState();
  if (from === null) {
    set({ cutting: { piece, from: place } });
    return;
  }
  const lines = new Map(making.pieces.find((one) => one.name === piece)?.edges.map((edge) => [edge.name, edge.line_mm]));
  const plain = { kind: "sewn", pieces: making.pieces, seams: making.seams } as unknown as SewnRecipe;
  if (cutAlong(plain, piece, from, place, lines) === null) {
    set({ cutting: { piece, from: null } });
    notify(`No straight line leads from there to here within the ${piece}`, "Choose two places of its outline that see each other", true);
    return;
  }
  set({ cutting: null, chosen: { kind: "piece", piece } });
  keep((recipe) => cutAlong(recipe, piece, from, place, lines) ?? recipe, `${piece} cut along a line`);
}

/** The number of the seam that an edge belongs to. */
function seamOf(making: SewnMaking, meant: Meant | null): number | null {
  if (meant?.kind !== "edge") return null;
  const of = (side: readonly (readonly [string, string])[]) => side.some(([piece, run]) => piece === meant.piece && run === meant.run);
  return making.seams.find((seam) => of(seam.one) || of(seam.other))?.number ?? null;
}

/** The table with a point, and what mirrors it, drawn elsewhere; edges straight meanwhile where they bend there. */
function shifted(table: Table, point: Extract<Meant, { kind: "point" }>, by: Spot, mirrored: boolean): Table {
  const pieces = table.lying.map(({ piece }) => piece);
  const from = pieces.find((one) => one.name === point.piece)?.runs.find((one) => one.name === point.run)?.points_mm[point.at];
  if (from === undefined) return table;
  const plain = { kind: "sewn", pieces, seams: [] } as unknown as SewnRecipe;
  const moved = movedPoint(plain, point, [from[0] + by[0], from[1] + by[1]], mirrored).pieces;
  return {
    ...table,
    lying: table.lying.map(({ piece, by: at }, k) => {
      const runs = moved[k]?.runs ?? piece.runs;
      const edges = piece.edges.map((edge) => {
        const index = runs.findIndex((run) => run.name === edge.name);
        const [run, after] = [runs[index], runs[(index + 1) % runs.length]];
        const before = piece.runs[index];
        const next = piece.runs[(index + 1) % piece.runs.length];
        const still = JSON.stringify([run?.points_mm, after?.points_mm[0]]) === JSON.stringify([before?.points_mm, next?.points_mm[0]]);
        if (still || run === undefined || after === undefined) return edge;
        return { ...edge, line_mm: [...run.points_mm, after.points_mm[0] ?? [0, 0]] };
      });
      return { piece: { ...piece, runs, edges }, by: at };
    }),
  };
}
