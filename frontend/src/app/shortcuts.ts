/** Our own keys, and what each does; the sheet lists them, `useShortcuts` makes them work. */
import { useEffect } from "react";
import { benches } from "../domain/thread";
import { tell, useFitting } from "../state/fitting";
import { type Look, useRoom, type View } from "../state/room";

export const SHORTCUTS: readonly { keys: string; does: string }[] = [
  { keys: "Space", does: "Play or pause" },
  { keys: ", and .", does: "One frame back or on" },
  { keys: "1 to 7", does: "Go to a bench, in the thread's order" },
  { keys: "Shift+1 to 4", does: "Front, back, three-quarter, side" },
  { keys: "C T S N I", does: "Cloth, threads, stretch, closeness, inside" },
  { keys: "?", does: "This sheet" },
  { keys: "Drag, arrow keys", does: "Turn round the shot (arrow keys when the stage is in focus)" },
  { keys: "Shift+drag, right drag", does: "Move the shot across the stage" },
  { keys: "Wheel, pinch, + and -", does: "Come nearer, step back" },
  { keys: "Shift, Alt while drawing", does: "Add to what is chosen, take away from it (turn with the right button)" },
  { keys: "Drag on the Chalk bench", does: "Draw on the cloth (turn with the right button)" },
  { keys: "P, B while pulling", does: "Pin the cloth where it is, or to the body (Drape)" },
  { keys: "Wheel while pulling", does: "Take more cloth or less: the reach of the pull (Drape)" },
  { keys: "Space on the Drape bench", does: "Let the cloth fall, or hold it still" },
  { keys: "B held on the Mend bench", does: "See the take as it was before" },
  { keys: "Esc while drawing", does: "Leave the stroke, line or handle as it was before" },
  { keys: "Alt on a handle's knob", does: "Move or turn it freely, not in steps of 5 mm and 5 degrees" },
  { keys: "Arrow keys, Delete on a key", does: "Another frame, another value, or take the key out" },
];

const VIEWS: Record<string, View> = { Digit1: "front", Digit2: "back", Digit3: "three-quarter", Digit4: "side" };
const LOOKS: Record<string, Look> = { c: "cloth", t: "threads", s: "stretch", n: "closeness", i: "inside" };

function typing(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName));
}

/** Listen for the keys while the page is open, but not while something is typed. */
export function useShortcuts(first: number, last: number): void {
  useEffect(() => {
    const pressed = (event: KeyboardEvent) => {
      if (typing(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
      const room = useRoom.getState();
      const view = event.shiftKey ? VIEWS[event.code] : undefined;
      const look = event.shiftKey ? undefined : LOOKS[event.key];
      const bench = event.shiftKey ? undefined : benches[Number(event.key) - 1]?.bench;
      const step = event.key === "," ? -1 : event.key === "." ? 1 : 0;
      if (view !== undefined) room.set({ view, viewPressed: room.viewPressed + 1 });
      else if (bench !== undefined) room.set({ bench });
      else if (look !== undefined) room.set({ look });
      else if (step !== 0) room.set({ frame: Math.min(last, Math.max(first, room.frame + step)), playing: false, follow: false });
      else if (event.key === "?") room.set({ sheet: true });
      else if (event.key === " " && room.bench === "drape" && !(event.target instanceof HTMLButtonElement)) tell({ do: useFitting.getState().told?.running === true ? "hold" : "fall" });
      else if (event.key === " " && !(event.target instanceof HTMLButtonElement)) room.set({ playing: !room.playing });
      else return;
      event.preventDefault();
    };
    window.addEventListener("keydown", pressed);
    return () => {
      window.removeEventListener("keydown", pressed);
    };
  }, [first, last]);
}
