import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useRoom } from "../state/room";

/** Choose the garment to work on. Nothing to choose when there is one. */
export function GarmentPicker({ names, garment }: { names: readonly string[]; garment: string }) {
  const set = useRoom((room) => room.set);
  if (names.length < 2) return null;
  return (
    <TextField
      select
      label="Garment"
      value={garment}
      onChange={(event) => {
        set({ garment: event.target.value, chosen: null, litBorder: null, hold: null });
      }}
    >
      {names.map((name) => (
        <MenuItem key={name} value={name}>
          {name}
        </MenuItem>
      ))}
    </TextField>
  );
}
