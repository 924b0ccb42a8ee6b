import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import type { Brush } from "../../domain/chalk";
import { useRoom } from "../../state/room";
import { Section } from "../../ui/Card";
import { NumberField } from "../../ui/NumberField";

const MODES: readonly { mode: Brush["mode"]; name: string; said: string }[] = [
  { mode: "add", name: "Add", said: "Makes the value higher" },
  { mode: "lift", name: "Lift", said: "Takes chalk off again" },
  { mode: "set", name: "Set", said: "Brings the value to the amount" },
  { mode: "blend", name: "Blend", said: "Evens out what is there" },
];

/** What the brush does, and how wide it is. */
export function BrushSection() {
  const brush = useRoom((room) => room.brush);
  const set = useRoom((room) => room.set);
  const change = (next: Partial<Brush>) => { set({ brush: { ...brush, ...next } }); };
  return (
    <Section title="Brush">
      <ToggleButtonGroup
        exclusive
        fullWidth
        size="small"
        value={brush.mode}
        aria-label="What the brush does"
        onChange={(_, mode: Brush["mode"] | null) => { if (mode !== null) change({ mode }); }}
        sx={{ mb: 0.5 }}
      >
        {MODES.map((one) => (
          <ToggleButton key={one.mode} value={one.mode} title={one.said} sx={{ textTransform: "none", fontSize: 12.5, py: 0.5, color: "text.primary" }}>
            {one.name}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        <NumberField label="Radius, mm" value={brush.radius_mm} low={1} high={2000} keep={(radius_mm) => { change({ radius_mm }); }} />
        <NumberField label="Amount" value={brush.amount} low={0} high={1} keep={(amount) => { change({ amount }); }} />
        <NumberField label="Strength, %" value={Math.round(brush.strength * 100)} low={0} high={100} keep={(percent) => { change({ strength: percent / 100 }); }} />
        <NumberField label="Soft edge, %" value={Math.round(brush.softness * 100)} low={0} high={100} keep={(percent) => { change({ softness: percent / 100 }); }} />
      </Box>
      <Box sx={{ display: "flex" }}>
        <Tick label="Mirrored" checked={brush.mirrored} keep={(mirrored) => { change({ mirrored }); }} />
        <Tick label="Through all layers" checked={brush.through} keep={(through) => { change({ through }); }} />
      </Box>
    </Section>
  );
}

function Tick({ label, checked, keep }: { label: string; checked: boolean; keep(checked: boolean): void }) {
  return (
    <FormControlLabel
      control={<Checkbox size="small" checked={checked} sx={{ py: 0.4 }} onChange={(_, next) => { keep(next); }} />}
      label={<Typography sx={{ fontSize: 13 }}>{label}</Typography>}
    />
  );
}
