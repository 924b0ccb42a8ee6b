/** Marks on the garment: what is held and by what kind of hold, what is chosen, and what a hold holds on to. */
import { useEffect } from "react";
import { floats, indices, part, type Shot, verticesOf } from "../api/client";
import { holdsOf } from "../domain/edits";
import { type Kind } from "../domain/holds";
import { complain } from "../state/queries";
import { useRoom } from "../state/room";
import type { Stage } from "../stage/stage";

/** A garment's points at rest, x y z each, and its border loops. */
export interface Loops {
  points: Float32Array;
  loops: Uint32Array[];
}

export function useHoldMarks(stage: Stage | null, shot: Shot, loops: Loops | null, garment: string | null, base: string): void {
  const chosen = useRoom((room) => room.chosen);
  const looked = useRoom((room) => room.hold);
  const holds = garment === null ? null : holdsOf(shot.document, garment);

  useEffect(() => {
    if (stage === null) return;
    if (holds === null || loops === null) {
      stage.borders.showHeld(new Float32Array(), []);
      stage.wake();
      return;
    }
    let current = true;
    void Promise.all(holds.map((hold) => heldBy(base, hold.name, hold.how.kind).catch(() => null)))
      .then((found) => {
        if (!current) return;
        stage.borders.showHeld(loops.points, found.filter((one) => one !== null));
        stage.wake();
      })
      .catch(complain);
    return () => {
      current = false;
    };
  }, [stage, loops, base, garment]); // the revision in `base` changes with the holds

  useEffect(() => {
    if (stage === null) return;
    const none = new Uint32Array();
    let current = true;
    void (chosen === null || loops === null || garment === null ? Promise.resolve(none) : verticesOf(`${base}/chosen`, chosen))
      .then((vertices) => {
        if (!current) return;
        stage.borders.showChosen(loops?.points ?? new Float32Array(), vertices);
        stage.wake();
      })
      .catch(complain);
    return () => {
      current = false;
    };
  }, [stage, loops, chosen, garment, base]);

  const known = looked !== null && holds?.some((hold) => hold.name === looked) === true;
  useEffect(() => {
    if (stage === null) return;
    let current = true;
    void (known ? floats(`${base}/holds/${part(looked)}/links`) : Promise.resolve({ values: new Float32Array() }))
      .catch(() => ({ values: new Float32Array() }))
      .then(({ values }) => {
        if (!current) return;
        stage.borders.showLinks(values);
        stage.wake();
      });
    return () => {
      current = false;
    };
  }, [stage, looked, known, base]);
}

/** The vertices that a hold has: of those it was given, those that found something to hold on to. */
async function heldBy(base: string, name: string, kind: Kind): Promise<{ kind: Kind; vertices: Uint32Array }> {
  const rows = await indices(`${base}/holds/${part(name)}/vertices`);
  const vertices = [];
  for (let at = 0; at < rows.length; at += 2) if (rows[at + 1] === 1 || kind === "elastic") vertices.push(rows[at] ?? 0);
  return { kind, vertices: Uint32Array.from(vertices) };
}
