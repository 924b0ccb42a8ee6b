/** Drawing around cloth on the Mend bench: what is drawn around, through to the far side, is the region to mend. */
import { useEffect, useMemo } from "react";
import { Vector3 } from "three";
import type { Scenery } from "../stage/scenery";
import type { Stage } from "../stage/stage";
import { type DrawnRegion, useMend } from "../state/mend";
import { notify, useRoom } from "../state/room";
import { type DrawHost, DrawTool } from "./drawTool";
import { within } from "./within";

/** The tool, or null while nothing is to be drawn around. */
export function useMendRegion(stage: Stage | null, scenery: Scenery | null, drawn: DrawHost["drawn"]): DrawTool | null {
  const active = useRoom((room) => room.bench === "takes" && room.mending !== null);
  const drawing = useMend((mend) => mend.drawing);
  const region = useMend((mend) => mend.region);
  const frame = useRoom((room) => room.staged?.frame);
  const tool = useMemo(() => new DrawTool({ drawn, around: () => undefined }), [drawn]);
  useEffect(() => {
    tool.host = {
      drawn,
      around: (corners) => {
        if (stage === null || scenery === null) return;
        const found = around(stage, scenery, corners);
        if (found === null) notify("no cloth lies within what was drawn", "Draw around cloth");
        else useMend.getState().set({ region: found, snag: null, drawing: false });
      },
    };
  });
  useEffect(() => {
    if (!active || stage === null || scenery === null || region === null) return;
    const key = scenery.wornKeys().get(region.garment);
    if (key === undefined) return;
    const count = (stage.cloths.meshOf(key)?.points.length ?? 0) / 3;
    const flags = new Array<boolean>(count).fill(false);
    for (const vertex of region.vertices) flags[vertex] = true;
    stage.hatch(key, flags);
    return () => {
      stage.clearHands();
    };
  }, [active, stage, scenery, region, frame]);
  return active && drawing ? tool : null;
}

/** The garment with the most vertices within a line, and those. */
function around(stage: Stage, scenery: Scenery, corners: readonly [number, number][]): DrawnRegion | null {
  let best: DrawnRegion | null = null;
  for (const [garment, key] of scenery.wornKeys()) {
    const points = stage.cloths.meshOf(key)?.points ?? new Float32Array();
    const vertices: number[] = [];
    for (let v = 0; v < points.length / 3; v += 1) {
      const seen = stage.seenAt(new Vector3(points[3 * v], points[3 * v + 1], points[3 * v + 2]));
      if (within(corners, seen.x, seen.y)) vertices.push(v);
    }
    if (vertices.length > (best?.vertices.length ?? 0)) best = { garment, vertices };
  }
  return best;
}
