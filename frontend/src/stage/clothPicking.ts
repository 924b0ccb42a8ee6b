/** Choosing on the Fasten bench: pointing at a border lights it up and a press takes it; or drawing around cloth. */
import { useCallback, useEffect, useRef, useState } from "react";
import { api, type Choice, floats, got, indices, part, type Picked, type Reading, type Shot, verticesOf } from "../api/client";
import { borderOf, PLAIN_CHOICE } from "../domain/holds";
import { complain } from "../state/queries";
import { useRoom } from "../state/room";
import { useHoldMarks } from "./holdMarks";
import type { Stage } from "./stage";
import { type Keys, useDrawing } from "./useDrawing";
import { useLeavingOut } from "./useLeavingOut";

const REACH = 0.08; // m around a border in which pointing at the cloth means that border
const STILL = 0.006; // share of the canvas that a press may move and still be a press

export interface Loops {
  points: Float32Array;
  loops: Uint32Array[];
}

export interface ClothPicking {
  point(x: number, y: number): void;
  press(x: number, y: number): void;
  lift(x: number, y: number, keys: Keys): void;
  /** What is being drawn, in shares of the canvas. */
  drawn: readonly (readonly [number, number])[];
}

export function useClothPicking(stage: Stage | null, shot: Shot, reading: Reading | undefined): ClothPicking {
  const bench = useRoom((room) => room.bench);
  const chosenGarment = useRoom((room) => room.garment);
  const lit = useRoom((room) => room.litBorder);
  const chosen = useRoom((room) => room.chosen);
  const tool = useRoom((room) => room.tool);
  const garment = chosenGarment ?? Object.keys(reading?.garments ?? {})[0] ?? null;
  const active = bench === "fasten" && garment !== null;
  const [loops, setLoops] = useState<Loops | null>(null);
  const base = `/api/shots/${shot.id}/revisions/${shot.revision}/garments/${part(garment ?? "")}`;
  const borders = garment === null ? [] : (reading?.garments[garment]?.borders ?? []);

  useEffect(() => {
    if (!active) {
      setLoops(null);
      return;
    }
    let current = true;
    void loadLoops(base)
      .then((found) => {
        if (current) setLoops(found);
      })
      .catch(complain);
    return () => {
      current = false;
    };
  }, [active, base]);

  const taken = borderOf(chosen, borders)?.index ?? null;
  useEffect(() => {
    stage?.borders.showLoops(loops?.points ?? new Float32Array(), loops?.loops ?? [], lit ?? taken);
    stage?.wake();
  }, [stage, loops, lit, taken]);

  useHoldMarks(stage, shot, loops, active ? garment : null, base);

  const asking = useRef(false);
  const pressed = useRef<[number, number] | null>(null);
  const ask = useCallback(
    async (x: number, y: number): Promise<number | null> => {
      if (stage === null || garment === null) return null;
      const { hit } = await got<Picked>(
        api.POST("/api/shots/{shot_id}/revisions/{number}/garments/{name}/pick", {
          params: { path: { shot_id: shot.id, number: shot.revision, name: garment } },
          body: stage.ray(x, y),
        }),
      );
      return hit && hit.border !== null && (hit.away ?? Infinity) < REACH ? hit.border : null;
    },
    [stage, garment, shot.id, shot.revision],
  );

  const around = (corners: [number, number][], keys: Keys) => {
    if (stage === null) return;
    const { set, facing, chosen: before } = useRoom.getState();
    const kept = (keys.shiftKey || keys.altKey) && before !== null ? verticesOf(`${base}/chosen`, before) : Promise.resolve(new Uint32Array());
    Promise.all([verticesOf(`${base}/outlined`, { corners, facing, ...stage.eye() }), kept])
      .then(([found, held]) => {
        const vertices = keys.altKey ? without(held, found) : union(held, found);
        set({ chosen: vertices.length === 0 ? null : { ...PLAIN_CHOICE, vertices }, litBorder: null });
      })
      .catch(complain);
  };
  const leaving = useLeavingOut(stage, shot);
  const own = useDrawing(stage, active && tool !== "border" ? tool : null, around);
  const drawing = leaving.active ? leaving.drawing : active && tool !== "border" ? own : null;

  return {
    drawn: drawing?.drawn ?? [],
    point(x, y) {
      if (drawing?.going()) {
        drawing.point(x, y);
        return;
      }
      // One question at a time: the next move asks again.
      if (!active || drawing !== null || asking.current || pressed.current !== null) return;
      asking.current = true;
      ask(x, y)
        .then((border) => {
          useRoom.getState().set({ litBorder: border });
        })
        .catch(() => undefined)
        .finally(() => {
          asking.current = false;
        });
    },
    press(x, y) {
      pressed.current = [x, y];
      drawing?.press(x, y);
    },
    lift(x, y, keys) {
      const from = pressed.current;
      pressed.current = null;
      if (drawing !== null) {
        drawing.lift(keys);
        return;
      }
      if (!active || from === null || Math.hypot(x - from[0], y - from[1]) > STILL) return;
      ask(x, y)
        .then((index) => {
          const choose = borders.find((border) => border.index === index)?.choose;
          if (choose !== undefined) useRoom.getState().set({ chosen: { ...PLAIN_CHOICE, ...choose }, litBorder: index });
        })
        .catch(complain);
    },
  };
}

function union(held: Uint32Array, found: Uint32Array): number[] {
  return [...new Set([...held, ...found])].sort((a, b) => a - b);
}

function without(held: Uint32Array, found: Uint32Array): number[] {
  const gone = new Set(found);
  return [...held].filter((vertex) => !gone.has(vertex));
}

async function loadLoops(base: string): Promise<Loops> {
  const [rest, flat, sizes] = await Promise.all([
    floats(`${base}/mesh/rest`),
    indices(`${base}/mesh/loops`),
    indices(`${base}/mesh/loop_sizes`),
  ]);
  let at = 0;
  const loops = [...sizes].map((size) => flat.subarray(at, (at += size)));
  return { points: rest.values, loops };
}

/** The vertices of a choice. */
export function chosenVertices(base: string, choose: Choice): Promise<Uint32Array> {
  return verticesOf(`${base}/chosen`, choose);
}
