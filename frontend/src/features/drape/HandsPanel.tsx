import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Slider from "@mui/material/Slider";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import type { Told } from "../../domain/fitting";
import { type Hand, tell, useFitting } from "../../state/fitting";
import { NumberField } from "../../ui/NumberField";
import { Section } from "../../ui/Card";

const HANDS: readonly { hand: Hand; name: string; does: string }[] = [
  { hand: "pull", name: "Pull", does: "Press on cloth and drag. The wheel changes the reach. P pins it where it is, B pins it to the body." },
  { hand: "hem", name: "Hem", does: "Press near a border and drag: the whole border goes along, to raise or lower a hem." },
  { hand: "park", name: "Park", does: "Draw around cloth that is right: it stays where it is. With Alt it is taken up again." },
  { hand: "smooth", name: "Smooth", does: "Brush over a crease: the cloth relaxes under the brush." },
  { hand: "clear", name: "Keep off", does: "Brush over a body: cloth keeps another distance from it there." },
  { hand: "turn", name: "Look", does: "Hands off: dragging turns the shot, on the cloth too." },
];

/** What the pointer does to the cloth. */
export function HandsPanel({ told }: { told: Told }) {
  const { hand, reach, mirrored, clearance, set } = useFitting();
  const [pull] = told.pulls;
  return (
    <Section title="Hands">
      <ToggleButtonGroup
        exclusive
        size="small"
        value={hand}
        aria-label="What the hands do"
        onChange={(_, next: Hand | null) => {
          if (next !== null) set({ hand: next });
        }}
        sx={{ display: "grid", gridTemplateColumns: "repeat(3, 1fr)", "& .MuiToggleButton-root": { border: 1, borderColor: "divider", borderRadius: 0, m: 0 } }}
      >
        {HANDS.map((one) => (
          <ToggleButton key={one.hand} value={one.hand} title={one.does} sx={{ textTransform: "none", py: 0.35, fontSize: 12.5 }}>
            {one.name}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
      <Typography sx={{ fontSize: 12, color: "text.secondary", mt: 0.75, minHeight: 34 }}>{HANDS.find((one) => one.hand === hand)?.does}</Typography>
      {hand !== "park" && hand !== "turn" && (
        <Box sx={{ display: "grid", gridTemplateColumns: "auto 1fr auto", alignItems: "center", columnGap: 1.25 }}>
          <Typography sx={{ fontSize: 12.5, color: "text.secondary" }}>Reach</Typography>
          <Slider size="small" aria-label="Reach, mm" min={10} max={300} step={5} value={Math.min(300, reach)} onChange={(_, value) => { set({ reach: value as number }); }} />
          <Typography className="figure" sx={{ fontSize: 12.5, minWidth: 52, textAlign: "right" }}>
            {Math.round(reach)} mm
          </Typography>
        </Box>
      )}
      {hand === "pull" && (
        <FormControlLabel
          sx={{ "& .MuiFormControlLabel-label": { fontSize: 12.5 } }}
          control={<Checkbox size="small" checked={mirrored} onChange={(_, checked) => { set({ mirrored: checked }); }} />}
          label="Pull the other side too"
        />
      )}
      {hand === "clear" && <NumberField label="Distance, mm" value={clearance} low={0} high={200} keep={(value) => { set({ clearance: value }); }} />}
      {pull !== undefined && (
        <Typography role="status" sx={{ fontSize: 12.5, color: pull.slips_mm > 0 ? "error.main" : "text.primary" }}>
          {pull.slips_mm > 0 ? `It slips: the cloth stays ${Math.round(pull.slips_mm)} mm behind.` : `${pull.vertices.toLocaleString("en")} vertices are held.`}
        </Typography>
      )}
      <Box sx={{ display: "grid", gridTemplateColumns: "auto 1fr auto", alignItems: "center", columnGap: 1.25 }}>
        <Typography sx={{ fontSize: 12.5, color: "text.secondary" }}>Weighs</Typography>
        <Slider size="small" aria-label="Weight, share" min={0} max={1} step={0.05} value={told.weight} onChange={(_, value) => { tell({ do: "weight", share: value as number }); }} />
        <Typography className="figure" sx={{ fontSize: 12.5, minWidth: 52, textAlign: "right" }}>
          {told.weight === 0 ? "nothing" : `${Math.round(100 * told.weight)} %`}
        </Typography>
      </Box>
    </Section>
  );
}
