/** Pointing at a border on the Fasten bench: it lights up under the pointer and is chosen by a press. */
import { useCallback, useEffect, useRef, useState } from "react";
import { api, type Choice, floats, got, indices, part, type Picked, type Reading, type Shot } from "../api/client";
import { holdsOf } from "../domain/edits";
import { complain } from "../state/queries";
import { useRoom } from "../state/room";
import type { Stage } from "./stage";

const REACH = 0.08; // m around a border in which pointing at the cloth means that border
const STILL = 0.006; // share of the canvas that a press may move and still be a press

interface Loops {
  points: Float32Array;
  loops: Uint32Array[];
}

export interface BorderPicking {
  point(x: number, y: number): void;
  press(x: number, y: number): void;
  lift(x: number, y: number): void;
}

export function useBorderPicking(stage: Stage | null, shot: Shot, reading: Reading | undefined): BorderPicking {
  const bench = useRoom((room) => room.bench);
  const chosenGarment = useRoom((room) => room.garment);
  const lit = useRoom((room) => room.litBorder);
  const chosen = useRoom((room) => room.chosenBorder);
  const rings = useRoom((room) => room.rings);
  const garment = chosenGarment ?? Object.keys(reading?.garments ?? {})[0] ?? null;
  const active = bench === "fasten" && garment !== null;
  const [loops, setLoops] = useState<Loops | null>(null);
  const base = `/api/shots/${shot.id}/revisions/${shot.revision}/garments/${part(garment ?? "")}`;

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

  useEffect(() => {
    stage?.borders.showLoops(loops?.points ?? new Float32Array(), loops?.loops ?? [], lit ?? chosen);
    stage?.wake();
  }, [stage, loops, lit, chosen]);

  useHeldMarks(stage, shot, reading, loops, active ? garment : null, rings, base);

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

  return {
    point(x, y) {
      // One question at a time: the next move asks again.
      if (!active || asking.current || pressed.current !== null) return;
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
    },
    lift(x, y) {
      const from = pressed.current;
      pressed.current = null;
      if (!active || from === null || Math.hypot(x - from[0], y - from[1]) > STILL) return;
      ask(x, y)
        .then((border) => {
          if (border !== null) useRoom.getState().set({ chosenBorder: border, litBorder: border });
        })
        .catch(complain);
    },
  };
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

/** Mark the vertices that are held, and those that the chosen border would add. */
function useHeldMarks(
  stage: Stage | null,
  shot: Shot,
  reading: Reading | undefined,
  loops: Loops | null,
  garment: string | null,
  rings: number,
  base: string,
): void {
  const chosen = useRoom((room) => room.chosenBorder);
  useEffect(() => {
    if (stage === null) return;
    const none = new Uint32Array();
    if (garment === null || loops === null) {
      stage.borders.showMarks(new Float32Array(), none, none);
      stage.wake();
      return;
    }
    const border = chosen === null ? undefined : reading?.garments[garment]?.borders[chosen];
    const held = holdsOf(shot.document, garment).map((hold) => hold.choose);
    let current = true;
    void Promise.all([
      verticesOf(base, held),
      border === undefined ? Promise.resolve(none) : verticesOf(base, [{ ...border.choose, rings }]),
    ])
      .then(([kept, added]) => {
        if (!current) return;
        stage.borders.showMarks(loops.points, kept, added);
        stage.wake();
      })
      .catch(complain);
    return () => {
      current = false;
    };
  }, [stage, shot, reading, loops, garment, rings, chosen, base]);
}

/** The vertices of several choices, each once. */
async function verticesOf(base: string, choices: readonly Choice[]): Promise<Uint32Array> {
  const lists = await Promise.all(
    choices.map((choose) =>
      indices(`${base}/chosen`, {
        method: "POST",
        headers: { "Content-Type": "application/json" },
        body: JSON.stringify(choose),
      }),
    ),
  );
  return Uint32Array.from(new Set(lists.flatMap((list) => [...list])));
}
