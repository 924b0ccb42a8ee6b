/** The tapes and hems of the garment in the making on the Wardrobe bench, and the tool that draws them. */
import { useEffect, useMemo } from "react";
import type { Vector3 } from "three";
import type { MadeTape, Reading, Recipe, Shot } from "../api/client";
import { dragged } from "../domain/recipes";
import { useRemake } from "../state/queries";
import { useRoom } from "../state/room";
import { useTable } from "../state/table";
import type { ShownTape } from "../stage/marks/tapes";
import type { Stage } from "../stage/stage";
import { type TapeMove, TapeTool } from "./tapeTool";

const NO_TAPES: MadeTape[] = [];
const STILL: TapeMove = { up: 0, out: 0 };

/** The tool, or null while no garment in the making has tapes. */
export function useTapes(stage: Stage | null, shot: Shot, reading: Reading | undefined, garment: string | null): TapeTool<Vector3> | null {
  const active = useRoom((room) => room.bench === "wardrobe");
  const recipe = shot.document.garments.find((one) => one.name === garment)?.recipe;
  const making = garment === null ? undefined : (reading?.garments[garment]?.making ?? undefined);
  const measure = useTable((table) => table.measure);
  const every = active && making != null ? making.tapes : NO_TAPES;
  // Of a figure's measures those that are asked for: all of them at once hide it.
  const tapes = useMemo(() => (recipe?.kind !== "sewn" || measure === "all" ? every : every.filter((tape) => tape.name === measure)), [every, recipe?.kind, measure]);
  const remake = useRemake(shot);
  const tool = useMemo(() => new TapeTool<Vector3>(), []);

  useEffect(() => {
    stage?.showTapes(recipe === undefined ? [] : tapes.map((tape) => shownAs(tape, recipe, STILL)));
  }, [stage, tapes, recipe]);

  useEffect(() => {
    if (stage === null || recipe === undefined || garment === null) {
      tool.host = null;
      return;
    }
    tool.host = {
      at: (x, y) => stage.tapeAt(x, y),
      drawn: (name, from, x, y) => stage.tapeDrawn(name, from, x, y),
      light: (name) => {
        stage.lightTape(name);
      },
      show: (name, move) => {
        stage.showTapes(tapes.map((tape) => shownAs(tape, recipe, tape.name === name ? move : STILL)));
      },
      keep: (name, { up, out }) => {
        const cloth = tapes.find((tape) => tape.name === name)?.cloth_mm ?? null;
        const said = dragged(recipe, name, up, out, cloth)?.said ?? "as it was";
        remake.mutate(
          { garment, change: (before) => dragged(before, name, up, out, cloth)?.recipe ?? before, said },
          { onError: () => { stage.showTapes(tapes.map((tape) => shownAs(tape, recipe, STILL))); } },
        );
      },
    };
  });
  return tapes.length === 0 ? null : tool;
}

/** A tape as the stage shows it, drawn some way. */
function shownAs(tape: MadeTape, recipe: Recipe, { up, out }: TapeMove): ShownTape {
  const middle = [0, 2].map((axis) => tape.points.reduce((sum, place) => sum + (place[axis] ?? 0), 0) / Math.max(1, tape.points.length));
  const points = tape.points.map(([x, y, z]) => {
    const [dx, dz] = [x - (middle[0] ?? 0), z - (middle[1] ?? 0)];
    const wider = out / 1000 / Math.max(0.01, Math.hypot(dx, dz));
    return [x + wider * dx, y + up / 1000, z + wider * dz];
  });
  const moves = dragged(recipe, tape.name, 5, 0, null) !== null;
  const cloth = tape.cloth_mm === null ? null : tape.cloth_mm + 2 * Math.PI * out;
  return { name: tape.name, points, label: labelOf(tape, cloth, 100 * tape.height + up / 10, moves), measure: tape.girth_mm !== null, moves };
}

/** Centimetres round, and of what can be moved its height on the stage. */
function labelOf(tape: MadeTape, cloth: number | null, height: number, moves: boolean): string {
  const round = tape.girth_mm ?? cloth;
  const at = moves ? `, ${height.toFixed(1)} high` : "";
  const girth = round === null ? "" : ` ${(round / 10).toFixed(1)} cm`;
  return `${tape.name}${girth}${at}`;
}
