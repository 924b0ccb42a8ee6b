import { useTheme } from "@mui/material/styles";
import { type KeyboardEvent, type PointerEvent, useState } from "react";
import type { Pop, Reading, Shot } from "../api/client";
import { keysOf, valueAt, withKey, withoutKey } from "../domain/keys";
import { type Lane, lanesOf } from "../domain/lanes";
import { frameAt, type TapeScale, xOf } from "../domain/tape";
import { useEdit } from "../state/queries";
import { useRoom } from "../state/room";

export const LANE = 40; // px that a lane of keys takes

/** The lane whose keys the tape shows: the one that was asked for, or the first of the hold at hand. */
export function useLane(shot: Shot): { lane: Lane | undefined; lanes: Lane[] } {
  const wanted = useRoom((room) => room.lane);
  const looked = useRoom((room) => room.hold);
  const lanes = lanesOf(shot.document);
  return { lanes, lane: lanes.find((one) => one.id === wanted) ?? lanes.find((one) => one.hold === looked) ?? lanes[0] };
}

interface KeysLaneProps {
  shot: Shot;
  reading: Reading | undefined;
  lane: Lane;
  scale: TapeScale;
  top: number;
}

/** The keys of one value: drag one along the tape to another frame, up and down to another value. */
export function KeysLane({ shot, reading, lane, scale, top }: KeysLaneProps) {
  const c = useTheme().cloth;
  const edit = useEdit(shot);
  const [drag, setDrag] = useState<{ from: number; frame: number; value: number } | null>(null);
  const put = (from: number, frame: number, value: number) => {
    const said = from === frame ? `${lane.name} ${tidy(value)} at ${frame}` : `${lane.name}: key at ${from}, now at ${frame}`;
    edit.mutate({ edit: (document) => lane.put(document, withKey(withoutKey(lane.value, from), frame, value), said) });
  };
  const shown = drag === null ? lane.value : withKey(withoutKey(lane.value, drag.from), drag.frame, drag.value);
  const y = (value: number) => top + LANE - 8 - ((value - lane.low) / Math.max(1e-9, lane.high - lane.low)) * (LANE - 16);
  const at = (event: PointerEvent<SVGElement>): { frame: number; value: number } => {
    const box = event.currentTarget.ownerSVGElement?.getBoundingClientRect() ?? new DOMRect();
    const share = (top + LANE - 8 - (event.clientY - box.top)) / (LANE - 16);
    const value = lane.low + Math.min(1, Math.max(0, share)) * (lane.high - lane.low);
    return { frame: frameAt(scale, event.clientX - box.left), value: tidy(Math.round(value / step(lane)) * step(lane)) };
  };
  const line = Array.from({ length: 161 }, (_, index) => {
    const frame = scale.first + (index / 160) * (scale.last - scale.first);
    return `${index === 0 ? "M" : "L"}${xOf(scale, frame).toFixed(1)} ${y(valueAt(shown, frame)).toFixed(1)}`;
  }).join(" ");
  return (
    <g role="group" aria-label={`Keys of ${lane.name}`}>
      {popsOf(reading, lane).map((pop) => (
        <rect key={pop.first} x={xOf(scale, pop.first) - 2} y={top + 3} width={Math.max(4, xOf(scale, pop.last) - xOf(scale, pop.first) + 4)} height={LANE - 6} fill="none" stroke={c.weld} strokeWidth="2" strokeDasharray="3 2">
          <title>{`The cloth will pop here: ${pop.said}`}</title>
        </rect>
      ))}
      <path d={line} fill="none" stroke={c.indigo} strokeWidth="1.5" />
      {keysOf(shown).map(([frame, value]) => (
        <g
          key={frame}
          role="slider"
          tabIndex={0}
          aria-label={`Key at ${frame}`}
          aria-valuenow={value}
          aria-valuemin={lane.low}
          aria-valuemax={lane.high}
          style={{ cursor: "grab", pointerEvents: "auto" }}
          onPointerDown={(event) => {
            event.stopPropagation();
            event.currentTarget.setPointerCapture(event.pointerId);
            setDrag({ from: frame, frame, value });
          }}
          onPointerMove={(event) => {
            if (drag === null) return;
            event.stopPropagation();
            setDrag({ from: drag.from, ...at(event) });
          }}
          onPointerUp={() => {
            if (drag !== null && (drag.frame !== drag.from || drag.value !== valueAt(lane.value, drag.from))) put(drag.from, drag.frame, drag.value);
            setDrag(null);
          }}
          onKeyDown={(event) => {
            keyed(event, lane, frame, value, put, () => {
              edit.mutate({ edit: (document) => lane.put(document, withoutKey(lane.value, frame), `${lane.name} without its key at ${frame}`) });
            });
          }}
        >
          <title>{`${lane.name}: ${tidy(value)} ${lane.unit} at frame ${frame}`}</title>
          <path d={`M${xOf(scale, frame)} ${y(value)} V${top + LANE}`} stroke={c.ink} strokeWidth="1.2" />
          <circle cx={xOf(scale, frame)} cy={y(value)} r="5" fill={c.tape} stroke={c.ink} strokeWidth="1.6" />
        </g>
      ))}
    </g>
  );
}

function keyed(event: KeyboardEvent, lane: Lane, frame: number, value: number, put: (from: number, frame: number, value: number) => void, takeOut: () => void): void {
  const sideways = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  const upward = { ArrowUp: 1, ArrowDown: -1 }[event.key];
  if (sideways === undefined && upward === undefined && event.key !== "Delete") return;
  event.preventDefault();
  event.stopPropagation();
  if (event.key === "Delete") takeOut();
  else if (sideways !== undefined) put(frame, frame + sideways, value);
  else put(frame, frame, Math.min(lane.high, Math.max(lane.low, tidy(value + (upward ?? 0) * step(lane)))));
}

/** How finely a key is dragged up and down. */
function step(lane: Lane): number {
  return (lane.high - lane.low) / 20;
}

function popsOf(reading: Reading | undefined, lane: Lane): Pop[] {
  const holds = Object.values(reading?.garments ?? {}).flatMap((garment) => garment.holds);
  const members = Object.entries(reading?.cast ?? {}).map(([name, member]) => ({ name, pops: member.pops }));
  const found = lane.hold === undefined ? members.find(({ name }) => name === lane.member) : holds.find(({ name }) => name === lane.hold);
  return (found?.pops ?? []).filter((pop) => pop.keyed === lane.keyed);
}

function tidy(value: number): number {
  return Number(value.toPrecision(4));
}
