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

export type Up = "x" | "y" | "z";

export const UPS: readonly Up[] = ["x", "y", "z"];

export interface UnitFieldsProps {
  unit: string;
  up: Up;
  change(change: { unit: string } | { up: Up }, said: string): void;
  /** What is read so. */
  of?: "File" | "Cache";
}

/** The unit and the upward axis in which a file is to be read. */
export function UnitFields({ unit, up, change, of = "File" }: UnitFieldsProps) {
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "1fr 84px", gap: 1, mt: 0.5 }}>
      <TextField
        select
        label={`${of} unit`}
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
        label={of === "File" ? "Up" : "Cache up"}
        value={up}
        margin="dense"
        onChange={(event) => {
          const next = UPS.find((one) => one === event.target.value) ?? "y";
          change({ up: next }, `${next.toUpperCase()} is up`);
        }}
      >
        {UPS.map((one) => (
          <MenuItem key={one} value={one}>
            {one.toUpperCase()}
          </MenuItem>
        ))}
      </TextField>
    </Box>
  );
}
