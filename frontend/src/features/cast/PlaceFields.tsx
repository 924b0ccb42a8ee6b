import Box from "@mui/material/Box";
import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import type { PlacedRecord } from "../../api/client";
import { PLAIN_PLACE } from "../../domain/cast";
import { Fold } from "../../ui/Fold";
import { NumberField } from "../../ui/NumberField";

interface PlaceFieldsProps {
  placed: PlacedRecord | undefined;
  change(placed: PlacedRecord, said: string): void;
  /** Whether the garments go along, and how to say otherwise; for a character. */
  along?: { on: boolean; set(on: boolean): void };
}

/** Where a file's content is put: scale, turn and move, alike at every frame. */
export function PlaceFields({ placed: given, change, along }: PlaceFieldsProps) {
  const placed = given ?? PLAIN_PLACE;
  const [x, y, z] = placed.move;
  const put = (part: Partial<PlacedRecord>, said: string) => {
    change({ ...placed, ...part }, said);
  };
  const moved = (move: [number, number, number]) => {
    put({ move }, `moved to ${move.join(", ")} m`);
  };
  return (
    <Fold title="Place and facing" said={saidOf(placed)}>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        <NumberField label="Turn, degrees" value={placed.turn} low={-360} high={360} keep={(turn) => { put({ turn }, `turned to ${turn}°`); }} />
        <NumberField label="Scale, times" value={placed.scale} low={1e-6} high={1e6} keep={(scale) => { put({ scale }, `scaled ${scale} times`); }} />
      </Box>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr 1fr", columnGap: 1 }}>
        <NumberField label="Right, m" value={x} keep={(value) => { moved([value, y, z]); }} />
        <NumberField label="Up, m" value={y} keep={(value) => { moved([x, value, z]); }} />
        <NumberField label="Ahead, m" value={z} keep={(value) => { moved([x, y, value]); }} />
      </Box>
      <Choice label="Mirrored: left and right exchanged" on={placed.mirrored} set={(mirrored) => { put({ mirrored }, mirrored ? "mirrored" : "not mirrored"); }} />
      {along !== undefined && <Choice label="Garments go along" on={along.on} set={along.set} />}
    </Fold>
  );
}

function Choice({ label, on, set }: { label: string; on: boolean; set(on: boolean): void }) {
  return (
    <FormControlLabel
      sx={{ display: "flex" }}
      control={<Switch size="small" checked={on} onChange={(event) => { set(event.target.checked); }} />}
      label={label}
      slotProps={{ typography: { sx: { fontSize: 12.5 } } }}
    />
  );
}

function saidOf({ mirrored, scale, turn, move }: PlacedRecord): string {
  const parts = [];
  if (mirrored) parts.push("mirrored");
  if (turn !== 0) parts.push(`${turn}°`);
  if (scale !== 1) parts.push(`${scale} times`);
  if (move.some((value) => value !== 0)) parts.push("moved");
  return parts.length > 0 ? parts.join(", ") : "as in the file";
}
