import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import Typography from "@mui/material/Typography";
import { useEffect, useRef } from "react";
import { type Keyed, keysOf, withKey, withoutKey } from "../domain/keys";
import { useRoom } from "../state/room";
import { NumberField } from "./NumberField";

export interface KeyedFieldProps {
  label: string;
  value: Keyed;
  low?: number;
  high?: number;
  keep(value: Keyed, said: string): void;
}

/** A number, or keys of it over frames: smooth between them, held before the first and after the last. */
export function KeyedField({ label, value, low, high, keep }: KeyedFieldProps) {
  const frame = useRoom((room) => room.frame);
  const keys = keysOf(value);
  const name = label.charAt(0).toLowerCase() + label.slice(1);
  const short = label.split(",")[0] ?? label;
  // What is typed in quick turn is made on what was typed last, not on what is drawn; keys that moved are known by both frames.
  const typed = useRef({ value, moved: new Map<number, number>() });
  useEffect(() => {
    typed.current = { value, moved: new Map() };
  }, [value]);
  const change = (next: Keyed, said: string) => {
    typed.current.value = next;
    keep(next, said);
  };
  const now = (at: number) => typed.current.moved.get(at) ?? at;
  const put = (at: number, next: number) => {
    change(withKey(typed.current.value, now(at), next), `${name} ${next} at ${now(at)}`);
  };
  const move = (at: number, next: number) => {
    const before = now(at);
    const here = keysOf(typed.current.value).find(([frame]) => frame === before)?.[1] ?? 0;
    typed.current.moved.set(at, next);
    change(withKey(withoutKey(typed.current.value, before), next, here), `${name}'s key at ${before}, now at ${next}`);
  };
  if (typeof value === "number") {
    return (
      <Box>
        <NumberField label={label} value={value} low={low} high={high} keep={(next) => { keep(next, `${name} ${next}`); }} />
        <Button size="small" aria-label={`Key ${name}`} onClick={() => { put(frame, value); }} sx={{ fontSize: 11.5, py: 0 }}>
          Key it at {frame}
        </Button>
      </Box>
    );
  }
  return (
    <Box role="group" aria-label={`Keys of ${name}`} sx={{ gridColumn: "1 / -1" }}>
      <Typography sx={{ fontSize: 12, color: "text.secondary" }}>{label}, keyed</Typography>
      {keys.map(([at, here], row) => (
        <Box key={row} sx={{ display: "grid", gridTemplateColumns: "1fr 1fr 30px", columnGap: 0.75, alignItems: "center" }}>
          <NumberField label="Frame" value={at} keep={(next) => { move(at, next); }} />
          <NumberField label={short} value={here} low={low} high={high} keep={(next) => { put(at, next); }} />
          <IconButton size="small" aria-label={`Take out the key at ${at}`} onClick={() => { change(withoutKey(typed.current.value, now(at)), `${name} without its key at ${now(at)}`); }}>
            ×
          </IconButton>
        </Box>
      ))}
      <Button size="small" disabled={keys.some(([at]) => at === frame)} onClick={() => { put(frame, keys[keys.length - 1]?.[1] ?? 0); }} sx={{ fontSize: 11.5, py: 0 }}>
        Another key at {frame}
      </Button>
    </Box>
  );
}
