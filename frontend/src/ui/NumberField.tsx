import TextField from "@mui/material/TextField";
import { Meanwhile, useDraft } from "./draft";

interface Bounds {
  whole?: boolean;
  low?: number;
  high?: number;
}

export interface NumberFieldProps extends Bounds {
  label: string;
  value: number;
  keep(value: number): void;
}

/** A number that is kept on Enter or when the field is left, and only when it is one. */
export function NumberField({ value, keep, ...rest }: NumberFieldProps) {
  return (
    <OptionalNumberField
      {...rest}
      value={value}
      keep={(next) => {
        if (next !== null) keep(next);
      }}
    />
  );
}

export interface OptionalNumberFieldProps extends Bounds {
  label: string;
  value: number | null;
  keep(value: number | null): void;
  /** What an empty field stands for, in words; without it a number is needed. */
  none?: string;
}

/** The same, left empty where there is none. */
export function OptionalNumberField({ label, value, keep, none, whole = false, low = -Infinity, high = Infinity }: OptionalNumberFieldProps) {
  const kept = value === null ? "" : String(value);
  const draft = useDraft(kept);
  const { text } = draft;
  const empty = text.trim() === "";
  const number = empty ? NaN : Number(text);
  const wrong = empty && none !== undefined ? null : wrongOf(number, whole, low, high);
  const done = () => {
    const next = empty ? null : number;
    if (wrong !== null) return;
    draft.keeping();
    if (next !== value) keep(next);
  };
  return (
    <>
      <TextField
        label={label}
        value={text}
        margin="dense"
        error={wrong !== null}
        helperText={wrong ?? undefined}
        placeholder={none}
        slotProps={{ inputLabel: none === undefined ? undefined : { shrink: true }, htmlInput: { inputMode: "decimal", className: "figure" } }}
        onChange={(event) => {
          draft.setText(event.target.value);
        }}
        onBlur={() => {
          if (!draft.theirs) done();
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter") done();
        }}
      />
      <Meanwhile draft={draft} what={label} kept={kept || (none ?? "")} keep={done} off={wrong !== null} />
    </>
  );
}

export function wrongOf(number: number, whole: boolean, low: number, high: number): string | null {
  if (!Number.isFinite(number)) return "Give a number";
  if (whole && !Number.isInteger(number)) return "Give a whole number";
  if (number < low) return `At least ${low}`;
  if (number > high) return `At most ${high}`;
  return null;
}
