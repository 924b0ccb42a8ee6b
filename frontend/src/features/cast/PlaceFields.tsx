import Box from "@mui/material/Box";
import type { PlacedRecord } from "../../api/client";
import { PLAIN_PLACE } from "../../domain/cast";
import { Fold } from "../../ui/Fold";
import { NumberField } from "../../ui/NumberField";

interface PlaceFieldsProps {
  placed: PlacedRecord | undefined;
  change(placed: PlacedRecord, said: string): void;
}

/** Where a file's content is put: scale, turn and move, alike at every frame. */
export function PlaceFields({ placed: given, change }: PlaceFieldsProps) {
  const placed = given ?? PLAIN_PLACE;
  const [x, y, z] = placed.move ?? PLAIN_PLACE.move;
  const scale = placed.scale ?? 1;
  const turn = placed.turn ?? 0;
  const moved = (move: [number, number, number]) => {
    change({ scale, turn, move }, `moved to ${move.join(", ")} m`);
  };
  return (
    <Fold title="Place and facing" said={saidOf(scale, turn, [x, y, z])}>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        <NumberField label="Turn, degrees" value={turn} low={-360} high={360} keep={(value) => { change({ scale, turn: value, move: [x, y, z] }, `turned to ${value}°`); }} />
        <NumberField label="Scale, times" value={scale} low={1e-6} high={1e6} keep={(value) => { change({ scale: value, turn, move: [x, y, z] }, `scaled ${value} times`); }} />
      </Box>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr 1fr", columnGap: 1 }}>
        <NumberField label="Right, m" value={x} keep={(value) => { moved([value, y, z]); }} />
        <NumberField label="Up, m" value={y} keep={(value) => { moved([x, value, z]); }} />
        <NumberField label="Ahead, m" value={z} keep={(value) => { moved([x, y, value]); }} />
      </Box>
    </Fold>
  );
}

function saidOf(scale: number, turn: number, move: readonly number[]): string {
  const parts = [];
  if (turn !== 0) parts.push(`${turn}°`);
  if (scale !== 1) parts.push(`${scale} times`);
  if (move.some((value) => value !== 0)) parts.push("moved");
  return parts.length > 0 ? parts.join(", ") : "as in the file";
}
