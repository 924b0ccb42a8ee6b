/** The chalk at hand: the map that is drawn on, its values on the stage, and the tool that draws them. */
import { useEffect, useMemo, useState } from "react";
import { floats, floatsOf, part, type Shot } from "../api/client";
import { addStep, lessOf, mapAtHand, mapsOf } from "../domain/chalk";
import { PAGE } from "../state/page";
import { NOTHING_PAINTED, usePainted } from "../state/painted";
import { complain, useEdit } from "../state/queries";
import { useRoom } from "../state/room";
import type { Scenery } from "../stage/scenery";
import { NOTHING_DRAWN } from "../stage/shades";
import type { Stage } from "../stage/stage";
import { type ChalkHost, ChalkTool } from "./chalkTool";

/** The tool, or null while there is no map to draw on. */
export function useChalking(stage: Stage | null, scenery: Scenery | null, shot: Shot, garment: string | null): ChalkTool | null {
  const bench = useRoom((room) => room.bench);
  const wanted = useRoom((room) => room.chalk);
  const brush = useRoom((room) => room.brush);
  const line = useRoom((room) => room.line);
  const wantedLess = useRoom((room) => room.less);
  const maps = garment === null || bench !== "chalk" ? [] : mapsOf(shot.document, garment);
  const map = mapAtHand(maps, wanted);
  const less = lessOf(maps, map, wantedLess)?.name ?? null;
  const path = map === undefined ? null : `/api/shots/${shot.id}/revisions/${shot.revision}/garments/${part(garment ?? "")}/maps/${part(map.name)}`;
  const active = path !== null;
  const edit = useEdit(shot);
  const whose = JSON.stringify([garment, map?.name, less]);
  const [left, setLeft] = useState(0);
  const tool = useMemo(() => new ChalkTool(NOBODY, PAGE), []);

  useEffect(() => {
    tool.sheet = path === null ? null : { whose, path, brush, line, compared: less !== null };
    tool.host = {
      clothAt: (x, y) => {
        const key = garment === null ? null : (scenery?.madeKey(garment) ?? null);
        return key === null ? null : (stage?.clothAt(key, x, y) ?? null);
      },
      over: (at, ring) => {
        stage?.showRing(ring ? at : null, brush.radius_mm / 1000);
        usePainted.setState({ under: at?.corners ?? null });
      },
      showLine: (ends) => stage?.showLine(ends),
      paint: (address, stroke, going) => floatsOf(`${address}/paint`, { stroke, going }),
      painted: (of, values) => {
        usePainted.setState({ whose: of, values });
      },
      keep: (step) => {
        if (garment !== null && map !== undefined) edit.mutate({ edit: (document) => addStep(document, garment, map.name, step), onNewest: true });
      },
      lined: () => {
        useRoom.getState().set({ line: null });
      },
      left: () => {
        setLeft((count) => count + 1);
      },
      failed: complain,
    };
  });

  useEffect(() => {
    if (path === null) {
      usePainted.setState(NOTHING_PAINTED);
      return;
    }
    let current = true;
    // A map's own values are never told as its difference from another while that is on its way.
    if (usePainted.getState().whose !== whose) usePainted.setState(NOTHING_PAINTED);
    floats(less === null ? path : `${path}?less=${part(less)}`)
      .then((found) => {
        if (!current || tool.drawing) return;
        tool.arrived();
        usePainted.setState({ whose, values: found.values });
      })
      .catch(complain);
    return () => {
      current = false;
    };
  }, [path, less, whose, tool, left]);

  const values = usePainted((painted) => (painted.whose === whose ? painted.values : null));
  useEffect(() => {
    if (active && values !== null && garment !== null) {
      scenery?.setChalk(new Map([[garment, { values, low: less === null ? 0 : -1, high: 1 }]]));
    }
  }, [scenery, values, garment, less, active]);
  useEffect(() => (active ? () => scenery?.setChalk(NOTHING_DRAWN) : undefined), [scenery, active, garment]);
  useEffect(() => {
    if (!active) return;
    return () => {
      stage?.showRing(null, 0);
      stage?.showLine(null);
    };
  }, [stage, active]);
  return active ? tool : null;
}

const NOBODY: ChalkHost = {
  clothAt: () => null,
  over: () => undefined,
  showLine: () => undefined,
  paint: () => Promise.resolve(new Float32Array()),
  painted: () => undefined,
  keep: () => undefined,
  lined: () => undefined,
  left: () => undefined,
  failed: () => undefined,
};
