/** The handle of the hold that is looked at, and the tool that moves it. */
import { useEffect, useMemo } from "react";
import type { HowOf, Shot } from "../api/client";
import { holdsOf } from "../domain/edits";
import { changeHold } from "../domain/holds";
import { type Keyed, valueAt, withKey } from "../domain/keys";
import { useEdit } from "../state/queries";
import { useRoom } from "../state/room";
import type { Knob } from "../stage/marks/handleMark";
import type { Stage } from "../stage/stage";
import { HandleTool } from "./handleTool";

const ARM = 0.22; // m, a handle's arms

type Handle = HowOf<"handle">;

/** The tool, or null while no handle is looked at. */
export function useHandle(stage: Stage | null, shot: Shot, garment: string | null): HandleTool | null {
  const edit = useEdit(shot);
  const active = useRoom((room) => room.bench === "fasten");
  const name = useRoom((room) => room.hold);
  const at = useRoom((room) => room.frame);
  const frame = Math.max(at, shot.first_simulated);
  const hold = active && garment !== null ? holdsOf(shot.document, garment).find((one) => one.name === name) : undefined;
  const handle = hold?.how.kind === "handle" ? hold.how : null;
  const tool = useMemo(() => new HandleTool(), []);

  useEffect(() => {
    stage?.showHandle(handle === null ? null : handle.place.map((value) => valueAt(value, frame)), ARM);
  }, [stage, handle, frame]);

  useEffect(() => {
    if (stage === null || handle === null || hold === undefined || garment === null) {
      tool.host = null;
      return;
    }
    tool.host = {
      knobAt: (x, y) => stage.knobAt(x, y),
      reading: (knob, x, y) => stage.handleReading(knob, x, y),
      value: (knob) => valueAt(valueOf(handle, knob), frame),
      show: (knob, value) => {
        const place = handle.place.map((one) => valueAt(one, frame));
        if (!knob.turns) place[knob.axis] = value;
        stage.showHandle(place, ARM);
      },
      keep: (knob, value) => {
        edit.mutate({ edit: (document) => changeHold(document, garment, hold.name, { how: changed(handle, knob, value, frame) }, saidOf(knob, value)) });
      },
    };
  });
  return handle === null ? null : tool;
}

function valueOf(handle: Handle, knob: Knob): Keyed {
  return (knob.turns ? handle.turn : handle.place)[knob.axis] ?? 0;
}

/** The handle with one of its values changed: a key at the frame where it has keys. */
function changed(handle: Handle, knob: Knob, now: number, frame: number): Handle {
  const key = knob.turns ? "turn" : "place";
  const before = valueOf(handle, knob);
  const next = typeof before === "number" ? now : withKey(before, frame, now);
  const [x, y, z] = handle[key].map((value, axis) => (axis === knob.axis ? next : value)) as [Keyed, Keyed, Keyed];
  return { ...handle, [key]: [x, y, z] };
}

function saidOf(knob: Knob, now: number): string {
  const axis = "xyz".charAt(knob.axis);
  return knob.turns ? `turned to ${now}° about ${axis}` : `moved to ${now} m along ${axis}`;
}
