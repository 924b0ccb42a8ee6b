import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import { type PointerEvent, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { keepPicture, type Reading, type Shot, type Take } from "../api/client";
import { useClock } from "../state/clock";
import { complain, useSelfCuts } from "../state/queries";
import { useFitting } from "../state/fitting";
import { useRoom } from "../state/room";
import { useGarmentAtHand } from "../state/garment";
import { atRest, describe } from "../stage/description";
import { DrapeBar } from "./DrapeBar";
import { LookBar } from "./LookBar";
import { MendView } from "./MendView";
import { type Failed, PaneNotes } from "./PaneNotes";
import { Scenery } from "../stage/scenery";
import { Stage } from "../stage/stage";
import type { Touch } from "../tools/tool";
import { useFigure } from "../tools/useFigure";
import { sewnAtHand } from "../tools/useTable";
import { useTools } from "../tools/useTools";
import { useMapLook } from "../tools/useMapLook";
import { SewingBar } from "./SewingBar";
import { ViewCards } from "./ViewCards";

const FITTING = 320; // px wide, of the picture of a fitting
const PICTURE = 960; // px wide, of the picture that is kept of a shot

export interface StageViewProps {
  shot: Shot;
  reading: Reading | undefined;
  failed: Failed | null;
  shown: Take[];
  /** Takes whose frames are kept at hand. */
  ready: Take[];
}

/** The shot in 3D: the largest thing on the screen. */
export function StageView({ shot, reading, failed, shown, ready }: StageViewProps) {
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
    let keeping: number | undefined;
    const scenery = new Scenery(stage, {
      failed: complain,
      shown: (staged) => {
        if (useRoom.getState().staged !== staged) useRoom.getState().set({ staged });
      },
      placed: () => {
        stage.showPerson(useRoom.getState().bench === "cast");
        stage.view(useRoom.getState().view);
        const { shot: id } = useRoom.getState();
        // Once the picture stands: what is asked for next is not kept waiting.
        window.clearTimeout(keeping);
        keeping = window.setTimeout(() => {
          if (id !== null && useRoom.getState().shot === id) void stage.picture(PICTURE).then((made) => (made === null ? undefined : keepPicture(id, made)));
        }, 1500);
      },
    });
    const watcher = new ResizeObserver(([entry]) => {
      if (entry) stage.resize(entry.contentRect.width, entry.contentRect.height);
    });
    watcher.observe(frameOfCanvas.current);
    setBuilt({ stage, scenery });
    useFitting.getState().set({ picture: () => stage.picture(FITTING) });
    return () => {
      window.clearTimeout(keeping);
      watcher.disconnect();
      stage.dispose();
    };
  }, []);

  const description = useMemo(() => describe(shot, reading, shown, bench, understudy, ready), [shot, reading, shown, bench, understudy, ready]);
  useEffect(() => {
    if (description !== null) built?.scenery.set(description);
  }, [built, description]);
  useEffect(() => built?.scenery.setMarks(cutting, cuts?.marked ?? null), [built, cutting, cuts]);
  useEffect(() => built?.stage.setBackground(background), [built, background]);
  useEffect(() => built?.scenery.setLook(look), [built, look]);
  useEffect(() => built?.stage.view(view), [built, view, viewPressed]);
  useEffect(() => built?.stage.showPerson(bench === "cast"), [built, bench, description]);
  const start = shot.first_simulated;
  const standing = useFigure();
  useEffect(() => built?.scenery.show(standing ?? (atRest(bench) ? start : frame)), [built, frame, bench, start, standing]);

  const arrived = useCallback((next: number) => built?.scenery.has(next) ?? false, [built]);
  useClock(start, shot.document.frames[1], shot.document.frame_rate ?? 24, arrived);
  const garment = useGarmentAtHand(shot) ?? null;
  const sewing = useFitting((fitting) => fitting.line === "opening" || fitting.line === "open") && bench === "wardrobe";
  const { pointer, drawn } = useTools(built?.stage ?? null, built?.scenery ?? null, shot, reading, garment);
  useMapLook(built?.scenery ?? null, shot);
  useEffect(() => {
    const pressed = (event: KeyboardEvent) => {
      if (pointer?.key(event.key)) event.stopPropagation();
    };
    window.addEventListener("keydown", pressed, true);
    return () => {
      window.removeEventListener("keydown", pressed, true);
    };
  }, [pointer]);

  return (
    <Box ref={frameOfCanvas} component="main" sx={{ position: "relative", minWidth: 0, minHeight: 0, overflow: "hidden", bgcolor: background }}>
      <canvas
        ref={canvas}
        tabIndex={0}
        role="img"
        aria-label={`The stage: ${shot.name}, frame ${frame}. Drag to turn, Shift and drag to move, wheel to come nearer; arrow keys turn, plus and minus come nearer.`}
        style={{ position: "absolute", inset: 0, width: "100%", height: "100%", touchAction: "none", outlineOffset: -3 }}
        onPointerMove={(event) => {
          pointer?.move(touchOf(event));
        }}
        onPointerDownCapture={(event) => {
          if (event.button === 0 && pointer?.press(touchOf(event))) event.currentTarget.setPointerCapture(event.pointerId);
        }}
        onPointerUp={(event) => {
          if (event.button === 0) pointer?.lift(touchOf(event));
        }}
        onWheelCapture={(event) => {
          if (pointer?.wheel(event.deltaY)) event.stopPropagation();
        }}
        onPointerCancel={() => {
          pointer?.cancel();
        }}
        onKeyDown={(event) => {
          if (event.key === "Escape" && pointer?.cancel()) event.stopPropagation();
          const step = nudges[event.key];
          if (step === undefined || event.ctrlKey || event.metaKey) return;
          event.preventDefault();
          event.stopPropagation();
          built?.stage.nudge(...step);
        }}
      />
      {drawn.length > 1 && (
        <svg viewBox="0 0 1 1" preserveAspectRatio="none" aria-hidden style={{ position: "absolute", inset: 0, width: "100%", height: "100%", pointerEvents: "none" }}>
          <polygon points={drawn.map(([x, y]) => `${x},${y}`).join(" ")} fill="rgb(52 80 140 / 0.12)" stroke="#1e2f57" strokeWidth="1.5" strokeDasharray="6 4" vectorEffect="non-scaling-stroke" />
        </svg>
      )}
      <Opening shot={shot.id} />
      <LookBar />
      <ViewCards table={bench === "wardrobe" && sewnAtHand(shot, reading, garment) !== null} />
      <DrapeBar />
      <SewingBar shot={shot} />
      <MendView stage={built?.stage ?? null} shot={shot} />
      {!sewing && <PaneNotes shot={shot} shown={shown} read={reading !== undefined} failed={failed} />}
    </Box>
  );
}

/** While nothing of a shot stands on the stage yet: what it looked like last. */
function Opening({ shot }: { shot: number }) {
  const staged = useRoom((room) => room.staged);
  const [missing, setMissing] = useState(false);
  if (staged !== null || missing) return null;
  return (
    <img
      src={`/api/shots/${shot}/picture`}
      alt=""
      onError={() => {
        setMissing(true);
      }}
      style={{ position: "absolute", inset: 0, width: "100%", height: "100%", objectFit: "cover", pointerEvents: "none" }}
    />
  );
}

/** Where the pointer is on the canvas, in shares of its size, and how hard it is pressed. */
function touchOf(event: PointerEvent<HTMLElement>): Touch {
  const box = event.currentTarget.getBoundingClientRect();
  return {
    x: (event.clientX - box.left) / box.width,
    y: (event.clientY - box.top) / box.height,
    pressure: event.pointerType === "pen" ? event.pressure : 1,
    shiftKey: event.shiftKey,
    altKey: event.altKey,
  };
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
