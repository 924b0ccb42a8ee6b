/** The live fitting on the Drape bench: its cloth on the stage, what hands do shown there, and the tool. */
import { useEffect, useMemo } from "react";
import type { Shot } from "../api/client";
import { cutByGarment, packed, type Place, type Told, unpacked } from "../domain/fitting";
import { drawTo, leaveFitting, openFitting, tell, useFitting, watch } from "../state/fitting";
import { useRoom } from "../state/room";
import { Vector3 } from "three";
import type { ShownPin } from "../stage/marks/hands";
import { weightsIn } from "../stage/picking";
import type { Scenery } from "../stage/scenery";
import type { Stage } from "../stage/stage";
import { within } from "./within";
import { type DrawHost, DrawTool } from "./drawTool";
import { HandTool, type Spot } from "./handTool";

const MOVES = 0.0015; // m from one step to the next, shown as moving most

/** The tool, or null away from the bench. */
export function useHands(stage: Stage | null, scenery: Scenery | null, shot: Shot, drawn: DrawHost["drawn"]): HandTool | DrawTool | null {
  const active = useRoom((room) => room.bench === "drape");
  const line = useFitting((fitting) => fitting.line);
  const told = useFitting((fitting) => fitting.told);
  const { hand, reach, mirrored, clearance, moving } = useFitting();
  useOpened(active, shot);
  useLive(active && line === "open", stage, scenery, moving);
  useMarks(active, stage, scenery, told);

  const hands = useMemo(() => new HandTool(), []);
  const drawing = useMemo(() => new DrawTool({ drawn, around: () => undefined }), [drawn]);
  useEffect(() => {
    Object.assign(hands, { hand, reach, mirrored, clearance });
    hands.host =
      stage === null || scenery === null || told === null
        ? null
        : {
            spotAt: (x, y) => spotAt(stage, scenery, x, y),
            bodyAt: (x, y) => stage.bodyAt(x, y),
            pinAt: (x, y) => {
              const number = stage.pinAt(x, y, shownPins(told));
              const pin = told.pins.find((one) => one.number === number);
              return pin === undefined ? null : { number: pin.number, cloth: pin.cloth };
            },
            levelWith: (through, x, y) => stage.levelWith(through, x, y),
            tell,
            drawTo,
            thread: (to) => {
              showThread(stage, useFitting.getState().told, to);
            },
            over: (x, y) => {
              const brush = hand === "smooth" || hand === "pull" ? spotHit(stage, scenery, x, y) : null;
              const body = hand === "clear" ? stage.bodyAt(x, y) : null;
              stage.showRing(brush ?? (body === null ? null : { ...body, corners: [0, 0, 0] }), hands.reach / 1000);
            },
            reached: (mm) => {
              useFitting.getState().set({ reach: mm });
            },
          };
    drawing.host = {
      drawn,
      around: (corners, keys) => {
        if (stage === null || scenery === null || told === null) return;
        for (const { name, vertices } of told.garments) {
          const points = stage.cloths.meshOf(scenery.made().get(name) ?? "")?.points;
          if (points === undefined) continue;
          const flags = Array.from({ length: vertices }, (_, v) => {
            const seen = stage.seenAt(new Vector3(points[3 * v], points[3 * v + 1], points[3 * v + 2]));
            return within(corners, seen.x, seen.y);
          });
          if (flags.includes(true)) tell({ do: "park", garment: name, bits: packed(flags), parked: !keys.altKey });
        }
      },
    };
  });
  useEffect(() => {
    if (!active) stage?.showRing(null, 0);
  }, [active, stage]);
  if (!active || line !== "open") return null;
  return hand === "park" ? drawing : hands;
}

/** Open the fitting with the bench, and leave it with it. */
function useOpened(active: boolean, shot: Shot): void {
  const { id, revision } = shot;
  const garments = shot.document.garments.length;
  useEffect(() => {
    if (!active || garments === 0) return;
    openFitting({ shot: id, revision });
    return leaveFitting;
    // The revision changes whenever something is kept; the fitting goes on.
  }, [active, id, garments === 0]);
}

/** The cloth and the figure as the fitting has them. */
function useLive(active: boolean, stage: Stage | null, scenery: Scenery | null, moving: boolean): void {
  useEffect(() => {
    if (!active || stage === null || scenery === null) return;
    let before: Float32Array | null = null;
    let flags: Uint8Array | null = null;
    const hatch = (told: Told) => {
      let at = 0;
      for (const { name, vertices } of told.garments) {
        const key = scenery.made().get(name);
        const all = flags === null ? [] : unpacked(flags, at + vertices);
        if (key !== undefined) stage.hatch(key, all.slice(at));
        at += vertices;
      }
    };
    const stop = watch({
      positions: (values, told) => {
        const now = cutByGarment(values, told.garments);
        const earlier = before === null ? null : cutByGarment(before, told.garments);
        for (const [garment, key] of scenery.made()) {
          const positions = now.get(garment);
          if (positions === undefined) continue;
          stage.cloths.move(key, positions);
          const last = earlier?.get(garment);
          if (moving && last?.length === positions.length) stage.cloths.shade(key, speeds(last, positions), 0, MOVES);
        }
        before = values;
      },
      piece: (name, values) => {
        stage.moveBody(name, values);
      },
      parked: (bits) => {
        flags = bits;
        const { told } = useFitting.getState();
        if (told !== null) hatch(told);
      },
    });
    return () => {
      stop();
      stage.clearHands();
      for (const key of scenery.made().values()) stage.cloths.chalk(key, null);
      scenery.putBack();
    };
  }, [active, stage, scenery, moving]);
}

/** The thread, pins, and which set pieces are there. */
function useMarks(active: boolean, stage: Stage | null, scenery: Scenery | null, told: Told | null): void {
  useEffect(() => {
    if (!active || stage === null || scenery === null || told === null) return;
    stage.showPins(shownPins(told));
    showThread(stage, told, null);
    for (const piece of told.pieces) stage.bodies.show(piece.name, piece.is !== "out");
  }, [active, stage, scenery, told]);
}

function showThread(stage: Stage, told: Told | null, to: Place | null): void {
  stage.showThreads(
    (told?.pulls ?? []).map((pull, index) => ({
      from: pull.at,
      to: index === 0 && to !== null ? to : pull.to,
      firm: pull.slips_mm > 0 ? Math.max(0, 1 - pull.slips_mm / 400) : 1,
    })),
  );
}

function shownPins(told: Told): ShownPin[] {
  return told.pins.map(({ number, at, cloth, on }) => ({ number, at, cloth, onBody: on !== "" }));
}

function spotHit(stage: Stage, scenery: Scenery, x: number, y: number) {
  let nearest: { away: number; garment: string; key: string; hit: NonNullable<ReturnType<Stage["clothAt"]>> } | null = null;
  for (const [garment, key] of scenery.made()) {
    const hit = stage.clothAt(key, x, y);
    if (hit === null) continue;
    const away = stage.camera.eye.position.distanceTo(new Vector3(...hit.place));
    if (nearest === null || away < nearest.away) nearest = { away, garment, key, hit };
  }
  const body = nearest === null ? null : stage.bodyAt(x, y);
  if (nearest !== null && body !== null && stage.camera.eye.position.distanceTo(new Vector3(...body.place)) < nearest.away - 0.004) return null;
  return nearest === null ? null : { ...nearest.hit, garment: nearest.garment, key: nearest.key };
}

/** The place of a garment under the pointer, where no body hides it. */
function spotAt(stage: Stage, scenery: Scenery, x: number, y: number): Spot | null {
  const hit = spotHit(stage, scenery, x, y);
  const shape = hit === null ? null : stage.cloths.meshOf(hit.key);
  if (hit === null || shape === null) return null;
  return { garment: hit.garment, place: hit.place, corners: hit.corners, weights: weightsIn(shape.points, hit.corners, hit.place) };
}

function speeds(before: Float32Array, now: Float32Array): Float32Array {
  return Float32Array.from({ length: now.length / 3 }, (_, v) =>
    Math.hypot((now[3 * v] as number) - (before[3 * v] as number), (now[3 * v + 1] as number) - (before[3 * v + 1] as number), (now[3 * v + 2] as number) - (before[3 * v + 2] as number)),
  );
}
