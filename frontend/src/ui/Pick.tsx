import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";

export interface PickProps {
  label: string;
  value: string;
  options: readonly { value: string; name: string }[];
  keep(value: string): void;
}

/** One of a few, by its name. */
export function Pick({ label, value, options, keep }: PickProps) {
  return (
    <TextField
      select
      label={label}
      value={value}
      margin="dense"
      onChange={(event) => {
        keep(event.target.value);
      }}
    >
      {options.map((option) => (
        <MenuItem key={option.value} value={option.value}>
          {option.name}
        </MenuItem>
      ))}
    </TextField>
  );
}
