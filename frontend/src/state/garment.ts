/** Which garment is at hand: the one that was chosen, if the shot has it, else the first. The one rule for all. */
import type { Shot } from "../api/client";
import { useRoom } from "./room";

export function garmentAtHand(names: readonly string[], chosen: string | null): string | undefined {
  return chosen !== null && names.includes(chosen) ? chosen : names[0];
}

/** The name of the garment being worked on; undefined when the shot has none. */
export function useGarmentAtHand(shot: Shot): string | undefined {
  const chosen = useRoom((room) => room.garment);
  return garmentAtHand(
    shot.document.garments.map((one) => one.name),
    chosen,
  );
}
