import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import { type PointerEvent, useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Reading, Shot, Take } from "../api/client";
import { useClock } from "../state/clock";
import { complain, useSelfCuts } from "../state/queries";
import { useRoom } from "../state/room";
import { useGarmentAtHand } from "../ui/GarmentPicker";
import { useClothPicking } from "./clothPicking";
import { atRest, describe } from "./description";
import { LookBar } from "./LookBar";
import { type Failed, PaneNotes } from "./PaneNotes";
import { Scenery } from "./scenery";
import { Stage } from "./stage";
import { useChalking } from "./useChalking";
import { useMapLook } from "./useMapLook";
import { useHandle } from "./useHandle";
import { ViewCards } from "./ViewCards";

export interface StageViewProps {
  shot: Shot;
  reading: Reading | undefined;
  failed: Failed | null;
  shown: Take[];
}

/** The shot in 3D: the largest thing on the screen. */
export function StageView({ shot, reading, failed, shown }: StageViewProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const frameOfCanvas = useRef<HTMLDivElement>(null);
  const [built, setBuilt] = useState<{ stage: Stage; scenery: Scenery } | null>(null);
  const background = useTheme().cloth.stage;
  const bench = useRoom((room) => room.bench);
  const frame = useRoom((room) => room.frame);
  const look = useRoom((room) => room.look);
  const understudy = useRoom((room) => room.understudy);
  const cutting = useRoom((room) => (room.bench === "cast" ? room.cutting : null));
  const cuts = useSelfCuts(shot, cutting ?? "", cutting !== null).data;
  const view = useRoom((room) => room.view);
  const viewPressed = useRoom((room) => room.viewPressed);

  useEffect(() => {
    if (canvas.current === null || frameOfCanvas.current === null) return;
    const stage = new Stage(canvas.current, "#9B9994");
    const scenery = new Scenery(stage, {
      failed: complain,
      shown: (staged) => {
        if (useRoom.getState().staged !== staged) useRoom.getState().set({ staged });
      },
      placed: () => {
        stage.showPerson(useRoom.getState().bench === "cast");
        stage.view(useRoom.getState().view);
      },
    });
    const watcher = new ResizeObserver(([entry]) => {
      if (entry) stage.resize(entry.contentRect.width, entry.contentRect.height);
    });
    watcher.observe(frameOfCanvas.current);
    setBuilt({ stage, scenery });
    return () => {
      watcher.disconnect();
      stage.dispose();
    };
  }, []);

  const description = useMemo(() => describe(shot, reading, shown, bench, understudy), [shot, reading, shown, bench, understudy]);
  useEffect(() => {
    if (description !== null) built?.scenery.set(description);
  }, [built, description]);
  useEffect(() => built?.scenery.setMarks(cutting, cuts?.marked ?? null), [built, cutting, cuts]);
  useEffect(() => built?.stage.setBackground(background), [built, background]);
  useEffect(() => built?.scenery.setLook(look), [built, look]);
  useEffect(() => built?.stage.view(view), [built, view, viewPressed]);
  useEffect(() => built?.stage.showPerson(bench === "cast"), [built, bench, description]);
  const start = shot.first_simulated;
  useEffect(() => built?.scenery.show(atRest(bench) ? start : frame), [built, frame, bench, start]);

  const arrived = useCallback((next: number) => built?.scenery.has(next) ?? false, [built]);
  useClock(start, shot.document.frames[1], shot.document.frame_rate ?? 24, arrived);
  const picking = useClothPicking(built?.stage ?? null, shot, reading);

  const garment = useGarmentAtHand(shot.document.garments.map((one) => one.name)) ?? null;
  const chalking = useChalking(built?.stage ?? null, built?.scenery ?? null, shot, garment);
  useMapLook(built?.scenery ?? null, shot);
  const handle = useHandle(built?.stage ?? null, shot, garment);

  const place = (event: PointerEvent<HTMLElement>): [number, number] => {
    const box = event.currentTarget.getBoundingClientRect();
    return [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
  };

  return (
    <Box ref={frameOfCanvas} component="main" sx={{ position: "relative", minWidth: 0, minHeight: 0, overflow: "hidden", bgcolor: background }}>
      <canvas
        ref={canvas}
        tabIndex={0}
        role="img"
        aria-label={`The stage: ${shot.name}, frame ${frame}. Drag to turn, Shift and drag to move, wheel to come nearer; arrow keys turn, plus and minus come nearer.`}
        style={{ position: "absolute", inset: 0, width: "100%", height: "100%", touchAction: "none", outlineOffset: -3 }}
        onPointerMove={(event) => {
          if (chalking.point(...place(event), pressureOf(event))) return;
          if (!handle.move(...place(event), event.altKey)) picking.point(...place(event));
        }}
        onPointerDownCapture={(event) => {
          if (event.button !== 0) return;
          if (chalking.press(...place(event), pressureOf(event))) event.currentTarget.setPointerCapture(event.pointerId);
          else if (handle.press(...place(event))) event.currentTarget.setPointerCapture(event.pointerId);
          else picking.press(...place(event));
        }}
        onPointerUp={(event) => {
          if (!chalking.lift() && !handle.lift()) picking.lift(...place(event), event);
        }}
        onKeyDown={(event) => {
          const step = nudges[event.key];
          if (step === undefined || event.ctrlKey || event.metaKey) return;
          event.preventDefault();
          event.stopPropagation();
          built?.stage.nudge(...step);
        }}
      />
      {picking.drawn.length > 1 && (
        <svg viewBox="0 0 1 1" preserveAspectRatio="none" aria-hidden style={{ position: "absolute", inset: 0, width: "100%", height: "100%", pointerEvents: "none" }}>
          <polygon points={picking.drawn.map(([x, y]) => `${x},${y}`).join(" ")} fill="rgb(52 80 140 / 0.12)" stroke="#1e2f57" strokeWidth="1.5" strokeDasharray="6 4" vectorEffect="non-scaling-stroke" />
        </svg>
      )}
      <LookBar />
      <ViewCards />
      <PaneNotes shot={shot} shown={shown} read={reading !== undefined} failed={failed} />
    </Box>
  );
}

/** How hard a pen is pressed; a mouse always as hard. */
function pressureOf(event: PointerEvent): number {
  return event.pointerType === "pen" ? event.pressure : 1;
}

const nudges: Record<string, [number, number, number]> = {
  ArrowLeft: [-0.13, 0, 1],
  ArrowRight: [0.13, 0, 1],
  ArrowUp: [0, -0.09, 1],
  ArrowDown: [0, 0.09, 1],
  "+": [0, 0, 0.9],
  "=": [0, 0, 0.9],
  "-": [0, 0, 1.11],
};
