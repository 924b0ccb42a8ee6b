import { type ReactNode, useEffect, useRef } from "react";
import { useRoom } from "../state/room";

/** Scrolls to its content once, when that was just put in the shot. */
export function BroughtIntoView({ name, children }: { name: string; children: ReactNode }) {
  const box = useRef<HTMLDivElement>(null);
  const mine = useRoom((room) => room.placed === name);
  const set = useRoom((room) => room.set);
  useEffect(() => {
    if (!mine) return;
    box.current?.scrollIntoView({ block: "start" });
    set({ placed: null });
  }, [mine, set]);
  return <div ref={box}>{children}</div>;
}
