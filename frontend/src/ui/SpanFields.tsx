import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { type Keyed, keysOf, onBetween, spanOf } from "../domain/keys";
import { OptionalNumberField } from "./NumberField";

export interface SpanFieldsProps {
  value: Keyed;
  /** "keeps cloth off" */
  does: string;
  keep(value: Keyed, said: string): void;
}

/** From when to when something is on; always, without either. */
export function SpanFields({ value, does, keep }: SpanFieldsProps) {
  const span = spanOf(value);
  if (span === null) return <Typography sx={{ fontSize: 12.5 }}>Switched at frames {keysOf(value).map(([frame]) => frame).join(", ")}: see its keys on the tape.</Typography>;
  const put = (from: number | null, until: number | null) => {
    keep(onBetween(from, until), from === null && until === null ? `always ${does}` : `${does} ${saidOf(from, until)}`);
  };
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
      <OptionalNumberField label="From frame" value={span.from} none="the start" whole keep={(from) => { put(from, span.until); }} />
      <OptionalNumberField label="Until frame" value={span.until} none="the end" whole low={(span.from ?? -Infinity) + 1} keep={(until) => { put(span.from, until); }} />
    </Box>
  );
}

function saidOf(from: number | null, until: number | null): string {
  return `${from === null ? "" : `from ${from}`}${until === null ? "" : ` until ${until}`}`.trim();
}
