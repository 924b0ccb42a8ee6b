/** The frame that the figure stands at in a fitting: dragging the tape takes it there, the cloth with it. */
import { useEffect, useRef } from "react";
import { tell, useFitting } from "../state/fitting";
import { useRoom } from "../state/room";

const SOON = 180; // ms that the tape has to rest before the figure sets out

/** Keeps the tape and the figure's goal the same; gives the frame the figure is at, null without a fitting. */
export function useFigure(): number | null {
  const active = useRoom((room) => room.bench === "drape");
  const frame = useRoom((room) => room.frame);
  const open = useFitting((fitting) => fitting.line === "open");
  const goal = useFitting((fitting) => (fitting.told === null ? null : Math.round(fitting.told.goal)));
  const time = useFitting((fitting) => (fitting.told === null ? null : Math.round(fitting.told.time)));
  const sent = useRef<number | null>(null);
  const known = useRef<number | null>(null);
  useEffect(() => {
    if (!active || !open || goal === null) {
      sent.current = known.current = null;
      return;
    }
    if (sent.current !== null && sent.current !== goal) return; // what was asked for is on its way
    sent.current = null;
    if (known.current !== goal) useRoom.getState().set({ frame: goal, playing: false });
    known.current = goal;
  }, [active, open, goal]);
  useEffect(() => {
    if (!active || !open || known.current === null || frame === known.current) return;
    const soon = window.setTimeout(() => {
      sent.current = known.current = frame;
      tell({ do: "walk", to: frame });
    }, SOON);
    return () => {
      window.clearTimeout(soon);
    };
  }, [active, open, frame]);
  return active && open ? time : null;
}
