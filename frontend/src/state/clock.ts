/** The clock: true rate, and it waits where a frame has not arrived rather than skip it. */
import { useEffect } from "react";
import { useRoom } from "./room";

/** Advance the frame while playing, between first and last, at `rate` frames a second. */
export function useClock(first: number, last: number, rate: number, arrived: (frame: number) => boolean): void {
  const playing = useRoom((room) => room.playing);
  useEffect(() => {
    if (!playing) return;
    let begun = performance.now();
    let shown = useRoom.getState().frame;
    let asked = 0;
    const tick = () => {
      asked = requestAnimationFrame(tick);
      const room = useRoom.getState();
      const [low, high] = room.loop ?? [first, last];
      if (room.frame !== shown) {
        // Somebody scrubbed meanwhile: go on from there.
        shown = room.frame;
        begun = performance.now();
      }
      const due = Math.floor(((performance.now() - begun) * rate) / 1000);
      if (due < 1) return;
      const length = Math.max(1, high - low + 1);
      const next = low + ((((shown + due - low) % length) + length) % length);
      if (!arrived(next)) {
        begun = performance.now();
        return;
      }
      begun += (due * 1000) / rate;
      shown = next;
      room.set({ frame: next });
    };
    asked = requestAnimationFrame(tick);
    return () => {
      cancelAnimationFrame(asked);
    };
  }, [playing, first, last, rate, arrived]);
}
