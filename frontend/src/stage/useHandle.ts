/** Moving the handle of the hold that is looked at: by its knobs on the stage, in steps unless Alt is held. */
import { useEffect, useRef } from "react";
import type { HowOf, Shot } from "../api/client";
import { holdsOf } from "../domain/edits";
import { changeHold } from "../domain/holds";
import { type Keyed, valueAt, withKey } from "../domain/keys";
import { useEdit } from "../state/queries";
import { useRoom } from "../state/room";
import { type Knob, MOVE_STEP, TURN_STEP } from "./handleMark";
import type { Stage } from "./stage";

const ARM = 0.22; // m, a handle's arms

type Handle = HowOf<"handle">;

export interface HandleDrag {
  /** Whether the press took a knob. */
  press(x: number, y: number): boolean;
  move(x: number, y: number, free: boolean): boolean;
  lift(): boolean;
}

interface Drag {
  knob: Knob;
  from: number;
  before: number;
  now: number;
}

export function useHandle(stage: Stage | null, shot: Shot, garment: string | null): HandleDrag {
  const edit = useEdit(shot);
  const active = useRoom((room) => room.bench === "fasten");
  const name = useRoom((room) => room.hold);
  const at = useRoom((room) => room.frame);
  const frame = Math.max(at, shot.first_simulated);
  const hold = active && garment !== null ? holdsOf(shot.document, garment).find((one) => one.name === name) : undefined;
  const handle = hold?.how.kind === "handle" ? hold.how : null;
  const drag = useRef<Drag | null>(null);

  useEffect(() => {
    stage?.showHandle(handle === null ? null : handle.place.map((value) => valueAt(value, frame)), ARM);
  }, [stage, handle, frame]);

  const put = ({ knob, now }: Drag) => {
    if (hold === undefined || handle === null || garment === null) return;
    edit.mutate({ edit: (document) => changeHold(document, garment, hold.name, { how: changed(handle, knob, now, frame) }, saidOf(knob, now)) });
  };

  return {
    press(x, y) {
      if (stage === null || handle === null) return false;
      const knob = stage.knobAt(x, y);
      const from = knob === null ? null : stage.handleReading(knob, x, y);
      if (knob === null || from === null) return false;
      const before = valueAt(valueOf(handle, knob), frame);
      drag.current = { knob, from, before, now: before };
      stage.turnByDragging(false);
      return true;
    },
    move(x, y, free) {
      const going = drag.current;
      if (stage === null || handle === null || going === null) return false;
      const here = stage.handleReading(going.knob, x, y);
      if (here === null) return true;
      const step = going.knob.turns ? TURN_STEP : MOVE_STEP;
      const next = going.before + here - going.from;
      going.now = Number((free ? next : Math.round(next / step) * step).toFixed(4));
      const place = handle.place.map((value) => valueAt(value, frame));
      if (!going.knob.turns) place[going.knob.axis] = going.now;
      stage.showHandle(place, ARM);
      return true;
    },
    lift() {
      const going = drag.current;
      drag.current = null;
      if (going === null) return false;
      stage?.turnByDragging(useRoom.getState().tool === "border");
      if (going.now !== going.before) put(going);
      return true;
    },
  };
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
