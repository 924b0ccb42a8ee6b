/** Drawing a map on the cloth: the ring follows the pointer, and what a stroke does comes back while it is drawn. A
 * line to shade along is drawn likewise. While a map is compared with another nothing is drawn.
 */
import { useEffect, useRef, useState } from "react";
import { floats, floatsOf, part, type Shot, type StepRecord, type StrokeRecord } from "../api/client";
import { addStep, type Brush, lessOf, mapAtHand, mapsOf } from "../domain/chalk";
import { PAGE } from "../state/page";
import { complain, useEdit } from "../state/queries";
import { useRoom } from "../state/room";
import { NOTHING_DRAWN, type Scenery } from "./scenery";
import type { ClothHit, Stage } from "./stage";

const EACH = 0.2; // of the brush's radius between two hits
const LEAP = 0.008; // share of the canvas that the pointer may go without a look at the cloth between
const SHORTEST = 0.002; // m of a line that is meant
const MOST = 40; // looks between two places of the pointer

type Hit = StrokeRecord["hits"][number];

/** Values, and of which map of which garment, less which other, they are. */
interface Held {
  whose: string;
  values: Float32Array;
}

interface Going {
  name: string;
  whose: string;
  path: string;
  brush: Brush;
  at: readonly [number, number];
  hits: Hit[];
  sent: number;
  asking: boolean;
}

export interface Chalking {
  /** Whether the pointer is the brush's, so that nobody else needs to hear of it. */
  point(x: number, y: number, pressure: number): boolean;
  press(x: number, y: number, pressure: number): boolean;
  lift(): boolean;
}

export function useChalking(stage: Stage | null, scenery: Scenery | null, shot: Shot, garment: string | null): Chalking {
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
  const [held, setHeld] = useState<Held | null>(null);
  // A map's own values are never told as its difference from another while that is on its way.
  const values = held?.whose === whose ? held.values : null;
  const going = useRef<Going | null>(null);
  // The stroke whose values are shown until those of the shot that holds it come.
  const latest = useRef<Going | null>(null);
  const strokes = useRef(0);
  const seen = useRef<ClothHit | null>(null);
  const lining = useRef<{ from: ClothHit; to: ClothHit } | null>(null);

  useEffect(() => {
    if (path === null) {
      setHeld(null);
      return;
    }
    let current = true;
    floats(less === null ? path : `${path}?less=${part(less)}`)
      .then((found) => {
        if (!current || going.current !== null) return;
        latest.current = null;
        setHeld({ whose, values: found.values });
      })
      .catch(complain);
    return () => {
      current = false;
    };
  }, [path, less, whose]);
  useEffect(() => {
    if (active && values !== null && garment !== null) {
      scenery?.setChalk(new Map([[garment, less === null ? values : values.map((value) => (1 + value) / 2)]]));
    }
    useRoom.getState().set({ chalkValues: values, chalkHere: hereOf(values, seen.current) });
  }, [scenery, values, garment, less, active]);
  useEffect(() => (active ? () => scenery?.setChalk(NOTHING_DRAWN) : undefined), [scenery, active, garment]);
  useEffect(() => {
    if (!active) return;
    stage?.turnByDragging(false);
    return () => {
      stage?.showRing(null, 0);
      stage?.showLine(null);
      stage?.turnByDragging(true);
    };
  }, [stage, active]);

  const under = (x: number, y: number): ClothHit | null => {
    const key = garment === null ? null : (scenery?.madeKey(garment) ?? null);
    return key === null ? null : (stage?.clothAt(key, x, y) ?? null);
  };
  const ask = (stroke: Going) => {
    if (stroke.asking || stroke.sent === stroke.hits.length) return;
    const hits = stroke.hits.slice(stroke.sent);
    stroke.sent = stroke.hits.length;
    stroke.asking = true;
    floatsOf(`${stroke.path}/paint`, { stroke: { ...stroke.brush, hits }, going: stroke.name })
      .then((painted) => {
        // Older values than those shown come late: they are of another stroke, or the shot itself has come.
        if (latest.current === stroke) setHeld({ whose: stroke.whose, values: painted });
      })
      .catch(complain)
      .finally(() => {
        stroke.asking = false;
        if (latest.current === stroke) ask(stroke);
      });
  };
  // The stroke is kept as soon as it is over, before anything that is done after it, whatever is still being read.
  const finish = (stroke: Going) => {
    going.current = null;
    if (garment === null || map === undefined || stroke.hits.length === 0) return;
    edit.mutate({ edit: (document) => addStep(document, garment, map.name, { kind: "stroke", ...stroke.brush, hits: stroke.hits }), onNewest: true });
  };
  const hear = (at: ClothHit | null, pressure: number) => {
    const stroke = going.current;
    if (stroke === null || at === null) return;
    const last = stroke.hits.at(-1);
    const away = last === undefined ? Infinity : Math.hypot(last[0] - at.place[0], last[1] - at.place[1], last[2] - at.place[2]);
    if (away < (EACH * stroke.brush.radius_mm) / 1000) return;
    stroke.hits.push(hitOf(at, pressure));
    ask(stroke);
  };

  const shadeAlong = ({ from, to }: { from: ClothHit; to: ClothHit }) => {
    lining.current = null;
    stage?.showLine(null);
    if (line === null || garment === null || map === undefined) return;
    const [start, end] = [rounded(from.place), rounded(to.place)];
    if (Math.hypot(start[0] - end[0], start[1] - end[1], start[2] - end[2]) < SHORTEST) return;
    const along: StepRecord = { kind: "along", start, end, values: [...line] as [number, number] };
    useRoom.getState().set({ line: null });
    edit.mutate({ edit: (document) => addStep(document, garment, map.name, along), onNewest: true });
  };

  return {
    point(x, y, pressure) {
      if (!active) return false;
      const at = under(x, y);
      stage?.showRing(less === null && line === null ? at : null, brush.radius_mm / 1000);
      if (lining.current !== null && at !== null) {
        lining.current.to = at;
        stage?.showLine([lining.current.from.place, at.place]);
      }
      seen.current = at;
      useRoom.getState().set({ chalkHere: hereOf(values, at) });
      const from = going.current?.at;
      if (from !== undefined) {
        const looks = Math.min(MOST, Math.ceil(Math.hypot(x - from[0], y - from[1]) / LEAP));
        for (let k = 1; k < looks; k += 1) hear(under(from[0] + (k / looks) * (x - from[0]), from[1] + (k / looks) * (y - from[1])), pressure);
        if (going.current !== null) going.current.at = [x, y];
      }
      hear(at, pressure);
      return true;
    },
    press(x, y, pressure) {
      if (!active || path === null) return false;
      const at = under(x, y);
      if (at === null || less !== null) return true;
      if (line !== null) {
        lining.current = { from: at, to: at };
        return true;
      }
      strokes.current += 1;
      going.current = { name: `${PAGE} ${Date.now()} ${strokes.current}`, whose, path, brush, at: [x, y], hits: [], sent: 0, asking: false };
      latest.current = going.current;
      hear(at, pressure);
      return true;
    },
    lift() {
      if (lining.current !== null) shadeAlong(lining.current);
      const stroke = going.current;
      if (stroke === null) return active;
      finish(stroke);
      return true;
    },
  };
}

function rounded(place: ClothHit["place"]): [number, number, number] {
  return place.map((value) => Math.round(value * 1e4) / 1e4) as [number, number, number];
}

/** As the shot keeps it: places to a tenth of a millimetre. */
function hitOf({ place, facing }: ClothHit, pressure: number): Hit {
  const [x, y, z] = rounded(place);
  const [a, b, c] = facing.map((value) => Math.round(value * 1e2) / 1e2) as [number, number, number];
  return [x, y, z, a, b, c, Math.round(Math.min(1, Math.max(0, pressure)) * 1e2) / 1e2];
}

/** The mean of the corners under the pointer. */
function hereOf(values: Float32Array | null, at: ClothHit | null): number | null {
  if (values === null || at === null) return null;
  return at.corners.reduce((sum, corner) => sum + (values[corner] ?? 0), 0) / 3;
}
