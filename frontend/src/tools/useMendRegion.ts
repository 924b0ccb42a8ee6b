/** The region to mend on the Mend bench: what is drawn around, through to the far side, or what is brushed over. */
import { useEffect, useMemo } from "react";
import { Vector3 } from "three";
import type { Scenery } from "../stage/scenery";
import type { ClothHit } from "../stage/picking";
import type { Stage } from "../stage/stage";
import { type DrawnRegion, useMend } from "../state/mend";
import { notify, useRoom } from "../state/room";
import { BrushTool } from "./brushTool";
import { type DrawHost, DrawTool } from "./drawTool";
import type { Tool } from "./tool";
import { within } from "./within";

/** The tool, or null while nothing is to be drawn around. */
export function useMendRegion(stage: Stage | null, scenery: Scenery | null, drawn: DrawHost["drawn"]): Tool | null {
  const active = useRoom((room) => room.bench === "takes" && room.mending !== null);
  const drawing = useMend((mend) => mend.drawing);
  const region = useMend((mend) => mend.region);
  const frame = useRoom((room) => room.staged?.frame);
  const tool = useMemo(() => new DrawTool({ drawn, around: () => undefined }), [drawn]);
  const brush = useMemo(() => new BrushTool(NOWHERE), []);
  useEffect(() => {
    if (stage === null || scenery === null) return;
    brush.host = {
      at: (x, y) => nearest(stage, scenery, x, y),
      points: (garment) => stage.cloths.meshOf(scenery.wornKeys().get(garment) ?? "")?.points ?? new Float32Array(),
      radius: () => useMend.getState().brush / 1000,
      region: () => useMend.getState().region,
      ring: (hit) => { stage.showRing(hit, useMend.getState().brush / 1000); },
      brushed: (found) => { useMend.getState().set({ region: found, snag: null }); },
    };
    return () => { stage.showRing(null, 0); };
  }, [brush, stage, scenery, drawing]);
  useEffect(() => {
    tool.host = {
      drawn,
      around: (corners) => {
        if (stage === null || scenery === null) return;
        const found = around(stage, scenery, corners);
        if (found === null) notify("no cloth lies within what was drawn", "Draw around cloth");
        else useMend.getState().set({ region: found, snag: null, drawing: null });
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
  if (!active || drawing === null) return null;
  return drawing === "brush" ? brush : tool;
}

const NOWHERE = { at: () => null, points: () => new Float32Array(), radius: () => 0, region: () => null, ring: () => undefined, brushed: () => undefined };

/** The garment that lies nearest to the eye under a place of the canvas, and where. */
function nearest(stage: Stage, scenery: Scenery, x: number, y: number): { garment: string; hit: ClothHit } | null {
  let best: { garment: string; hit: ClothHit; away: number } | null = null;
  const eye = new Vector3(...stage.camera.projection().eye);
  for (const [garment, key] of scenery.wornKeys()) {
    const hit = stage.clothAt(key, x, y);
    const away = hit === null ? Infinity : eye.distanceTo(new Vector3(...hit.place));
    if (hit !== null && away < (best?.away ?? Infinity)) best = { garment, hit, away };
  }
  return best;
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
