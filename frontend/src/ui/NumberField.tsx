import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";

export interface NumberFieldProps {
  label: string;
  value: number;
  keep(value: number): void;
  whole?: boolean;
  low?: number;
  high?: number;
}

/** A number that is kept on Enter or when the field is left, and only when it is one. */
export function NumberField({ label, value, keep, whole = false, low = -Infinity, high = Infinity }: NumberFieldProps) {
  const [text, setText] = useState(String(value));
  useEffect(() => {
    setText(String(value));
  }, [value]);
  const number = text.trim() === "" ? NaN : Number(text);
  const wrong = wrongOf(number, whole, low, high);
  const done = () => {
    if (wrong === null && number !== value) keep(number);
  };
  return (
    <TextField
      label={label}
      value={text}
      margin="dense"
      error={wrong !== null}
      helperText={wrong ?? undefined}
      slotProps={{ htmlInput: { inputMode: "decimal", className: "figure" } }}
      onChange={(event) => {
        setText(event.target.value);
      }}
      onBlur={done}
      onKeyDown={(event) => {
        if (event.key === "Enter") done();
      }}
    />
  );
}

export function wrongOf(number: number, whole: boolean, low: number, high: number): string | null {
  if (!Number.isFinite(number)) return "Give a number";
  if (whole && !Number.isInteger(number)) return "Give a whole number";
  if (number < low) return `At least ${low}`;
  if (number > high) return `At most ${high}`;
  return null;
}
