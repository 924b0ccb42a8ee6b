import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";

export const UNITS: readonly { unit: string; name: string }[] = [
  { unit: "m", name: "metres" },
  { unit: "dm", name: "decimetres" },
  { unit: "cm", name: "centimetres" },
  { unit: "mm", name: "millimetres" },
  { unit: "in", name: "inches" },
  { unit: "ft", name: "feet" },
];

export interface UnitFieldsProps {
  unit: string;
  up: "y" | "z";
  change(change: { unit: string } | { up: "y" | "z" }, said: string): void;
}

/** The unit and the upward axis in which a file is to be read. */
export function UnitFields({ unit, up, change }: UnitFieldsProps) {
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "1fr 84px", gap: 1, mt: 0.5 }}>
      <TextField
        select
        label="File unit"
        value={unit}
        margin="dense"
        onChange={(event) => {
          const next = event.target.value;
          change({ unit: next }, `read in ${UNITS.find((one) => one.unit === next)?.name ?? next}`);
        }}
      >
        {UNITS.map((one) => (
          <MenuItem key={one.unit} value={one.unit}>
            {one.name}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        label="Up"
        value={up}
        margin="dense"
        onChange={(event) => {
          const next = event.target.value === "z" ? "z" : "y";
          change({ up: next }, `${next.toUpperCase()} is up`);
        }}
      >
        <MenuItem value="y">Y</MenuItem>
        <MenuItem value="z">Z</MenuItem>
      </TextField>
    </Box>
  );
}
