/** Choosing on the Fasten bench: pointing at a border takes it, or drawing around cloth does. */
import { useEffect, useMemo, useState } from "react";
import { api, floats, got, indices, part, type Picked, type Reading, type Shot, verticesOf } from "../api/client";
import { borderOf, PLAIN_CHOICE } from "../domain/holds";
import { complain } from "../state/queries";
import { useRoom } from "../state/room";
import type { Stage } from "../stage/stage";
import { type DrawHost, DrawTool } from "./drawTool";
import { PointTool } from "./pointTool";
import { type Loops, useHoldMarks } from "./useHoldMarks";

const REACH = 0.08; // m around a border in which pointing at the cloth means that border

/** The tool that chooses, or null away from the bench. */
export function useChoosing(
  stage: Stage | null,
  shot: Shot,
  reading: Reading | undefined,
  garment: string | null,
  drawn: DrawHost["drawn"],
): PointTool | DrawTool | null {
  const bench = useRoom((room) => room.bench);
  const lit = useRoom((room) => room.litBorder);
  const chosen = useRoom((room) => room.chosen);
  const shape = useRoom((room) => room.tool);
  const active = bench === "fasten" && garment !== null;
  const base = `/api/shots/${shot.id}/revisions/${shot.revision}/garments/${part(garment ?? "")}`;
  const borders = garment === null ? [] : (reading?.garments[garment]?.borders ?? []);
  const loops = useLoops(base, active);
  const taken = borderOf(chosen, borders)?.index ?? null;
  useEffect(() => {
    stage?.borders.showLoops(loops?.points ?? new Float32Array(), loops?.loops ?? [], lit ?? taken);
    stage?.wake();
  }, [stage, loops, lit, taken]);
  useHoldMarks(stage, shot, loops, active ? garment : null, base);

  const around: DrawHost["around"] = (corners, keys) => {
    if (stage === null) return;
    const { set, facing, chosen: before } = useRoom.getState();
    const kept = (keys.shiftKey || keys.altKey) && before !== null ? verticesOf(`${base}/chosen`, before) : Promise.resolve(new Uint32Array());
    Promise.all([verticesOf(`${base}/outlined`, { corners, facing, ...stage.camera.projection() }), kept])
      .then(([found, held]) => {
        const vertices = keys.altKey ? without(held, found) : union(held, found);
        set({ chosen: vertices.length === 0 ? null : { ...PLAIN_CHOICE, vertices }, litBorder: null });
      })
      .catch(complain);
  };
  const borderAt = async (x: number, y: number): Promise<number | null> => {
    if (stage === null || garment === null) return null;
    const { hit } = await got<Picked>(
      api.POST("/api/shots/{shot_id}/revisions/{number}/garments/{name}/pick", {
        params: { path: { shot_id: shot.id, number: shot.revision, name: garment } },
        body: stage.ray(x, y),
      }),
    );
    return hit && hit.border !== null && (hit.away ?? Infinity) < REACH ? hit.border : null;
  };

  const drawing = useMemo(() => new DrawTool({ drawn, around: () => undefined }), [drawn]);
  const pointing = useMemo(() => new PointTool({ borderAt: () => Promise.resolve(null), light: () => undefined, take: () => undefined, failed: complain }), []);
  useEffect(() => {
    if (shape !== "border") drawing.shape = shape;
    drawing.host = { drawn, around };
    pointing.host = {
      borderAt,
      light: (border) => {
        useRoom.getState().set({ litBorder: border });
      },
      take: (index) => {
        const choose = borders.find((border) => border.index === index)?.choose;
        if (choose !== undefined) useRoom.getState().set({ chosen: { ...PLAIN_CHOICE, ...choose }, litBorder: index });
      },
      failed: complain,
    };
  });
  if (!active) return null;
  return shape === "border" ? pointing : drawing;
}

function useLoops(base: string, active: boolean): Loops | null {
  const [loops, setLoops] = useState<Loops | null>(null);
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
  return loops;
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
