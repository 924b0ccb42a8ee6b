import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { type Keyed, keysOf, type Span, spanOf } from "../domain/keys";
import { OptionalNumberField } from "./NumberField";

export interface SpanFieldsProps {
  value: Keyed;
  /** Keep the end that was typed; the other is as the newest shot has it. */
  keep(end: Partial<Span>): void;
}

/** From when to when something is on; always, without either. */
export function SpanFields({ value, keep }: SpanFieldsProps) {
  const span = spanOf(value);
  if (span === null) return <Typography sx={{ fontSize: 12.5 }}>Switched at frames {keysOf(value).map(([frame]) => frame).join(", ")}: see its keys on the tape.</Typography>;
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
      <OptionalNumberField label="From frame" value={span.from} none="the start" whole high={(span.until ?? Infinity) - 1} keep={(from) => { keep({ from }); }} />
      <OptionalNumberField label="Until frame" value={span.until} none="the end" whole low={(span.from ?? -Infinity) + 1} keep={(until) => { keep({ until }); }} />
    </Box>
  );
}
