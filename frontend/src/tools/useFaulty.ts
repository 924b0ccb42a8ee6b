/** What is wrong with the mesh of the garment at hand, lit on the Wardrobe bench. */
import { useEffect } from "react";
import type { Shot } from "../api/client";
import { useHealth } from "../state/queries";
import { useRoom } from "../state/room";
import type { Stage } from "../stage/stage";

const NOTHING = new Float32Array();

export function useFaulty(stage: Stage | null, shot: Shot, garment: string | null): void {
  const active = useRoom((room) => room.bench === "wardrobe");
  const alone = useRoom((room) => room.ailment);
  const fromFile = shot.document.garments.some((one) => one.name === garment && one.recipe.kind === "file");
  const health = useHealth(shot, garment ?? "", active && fromFile).data;
  useEffect(() => {
    if (stage === null) return;
    let at = 0;
    const lit: number[] = [];
    for (const finding of active && fromFile ? (health?.findings ?? []) : []) {
      const end = at + 9 * finding.lit;
      if (alone === null || alone === finding.kind) lit.push(...(health?.places.subarray(at, end) ?? NOTHING));
      at = end;
    }
    stage.showFaulty(Float32Array.from(lit));
  }, [stage, active, fromFile, health, alone]);
}
