/** The tools of the bench at hand, on one pointer. */
import { useEffect, useMemo, useState } from "react";
import type { Reading, Shot } from "../api/client";
import type { Scenery } from "../stage/scenery";
import type { Stage } from "../stage/stage";
import type { Place } from "./drawTool";
import { Pointer } from "./tool";
import { useChalking } from "./useChalking";
import { useChoosing } from "./useChoosing";
import { useFaulty } from "./useFaulty";
import { useHandle } from "./useHandle";
import { useHands } from "./useHands";
import { useLeavingOut } from "./useLeavingOut";
import { useMendRegion } from "./useMendRegion";
import { useTableTool } from "./useTable";
import { useTapes } from "./useTapes";

export interface Tools {
  pointer: Pointer | null;
  /** What is being drawn around, in shares of the canvas. */
  drawn: readonly Place[];
}

export function useTools(stage: Stage | null, scenery: Scenery | null, shot: Shot, reading: Reading | undefined, garment: string | null): Tools {
  const [drawn, setDrawn] = useState<readonly Place[]>([]);
  const pointer = useMemo(() => (stage === null ? null : new Pointer(stage.camera)), [stage]);
  const leaving = useLeavingOut(stage, shot, setDrawn);
  const handle = useHandle(stage, shot, garment);
  const choosing = useChoosing(stage, shot, reading, garment, setDrawn);
  const chalk = useChalking(stage, scenery, shot, garment);
  useFaulty(stage, shot, garment);
  const table = useTableTool(stage, scenery, shot, reading, garment);
  const tapes = useTapes(stage, shot, reading, garment);
  const hands = useHands(stage, scenery, shot, setDrawn);
  const region = useMendRegion(stage, scenery, setDrawn);
  useEffect(() => {
    pointer?.setTools([leaving, handle, choosing, chalk, tapes, table, hands, region].filter((tool) => tool !== null));
  }, [pointer, leaving, handle, choosing, chalk, tapes, table, hands, region]);
  return { pointer, drawn };
}
