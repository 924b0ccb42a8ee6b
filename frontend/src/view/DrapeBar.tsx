/** The row along the foot of the stage on the Drape bench: what the cloth does, and how far it is from rest. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Slider from "@mui/material/Slider";
import Typography from "@mui/material/Typography";
import { unrestSaid } from "../domain/fitting";
import { tell, useFitting } from "../state/fitting";
import { useRoom } from "../state/room";

const PLAIN = { minWidth: 0, px: 1.1, py: 0.5, fontSize: 12.5, whiteSpace: "nowrap", bgcolor: "background.paper", color: "text.primary", boxShadow: 1, "&:hover": { bgcolor: "background.default" } } as const;

export function DrapeBar() {
  const active = useRoom((room) => room.bench === "drape");
  const told = useFitting((fitting) => (fitting.line === "open" ? fitting.told : null));
  const moving = useFitting((fitting) => fitting.moving);
  const set = useFitting((fitting) => fitting.set);
  if (!active || told === null) return null;
  const pace = Math.log2(told.pace);
  return (
    <Box
      role="group"
      aria-label="The cloth"
      sx={{ position: "absolute", left: 14, right: 14, bottom: 12, display: "flex", alignItems: "center", gap: 1, px: 1.25, py: 0.75, borderRadius: 1, bgcolor: "background.default", boxShadow: 1 }}
    >
      <Button
        variant="contained"
        sx={{ minWidth: 86, px: 1.2, py: 0.5, fontSize: 12.5, whiteSpace: "nowrap" }}
        onClick={() => {
          tell({ do: told.running ? "hold" : "fall" });
        }}
      >
        {told.running ? "Hold still" : "Let fall"}
      </Button>
      <Button sx={PLAIN} disabled={told.running} onClick={() => { tell({ do: "one step" }); }}>
        One step
      </Button>
      <Typography component="label" id="pace" sx={{ fontSize: 12, color: "text.secondary" }}>
        slower
      </Typography>
      <Slider
        size="small"
        aria-label="Steps in a second at most"
        min={0}
        max={Math.log2(48)}
        step={0.25}
        value={pace}
        valueLabelDisplay="auto"
        valueLabelFormat={(value) => `at most ${Math.round(2 ** value)} steps/s`}
        sx={{ width: 64 }}
        onChange={(_, value) => {
          tell({ do: "pace", steps: Math.min(48, 2 ** (value as number)) });
        }}
      />
      <Typography sx={{ fontSize: 12, color: "text.secondary" }}>faster</Typography>
      <Box sx={{ flex: 1 }} />
      <Typography className="figure" role="status" aria-label="How far from rest" noWrap sx={{ fontSize: 12.5 }}>
        {unrestSaid(told)}
      </Typography>
      <Button
        sx={PLAIN}
        aria-pressed={told.to_rest}
        title="Go on until nothing has more than 0.2 mm to go, or for a minute of cloth time"
        onClick={() => {
          tell(told.to_rest ? { do: "hold" } : { do: "to rest", until_mm: 0.2, seconds: 60 });
        }}
      >
        {told.to_rest ? "Stop" : "To rest"}
      </Button>
      <Button sx={{ ...PLAIN, textDecoration: moving ? "underline" : "none" }} aria-pressed={moving} title="Colour the cloth by how far it goes in a step" onClick={() => { set({ moving: !moving }); }}>
        What moves
      </Button>
      <Button sx={PLAIN} disabled={told.back === null} title={told.back === null ? "Nothing was done yet" : `Back to before: ${told.back}`} onClick={() => { tell({ do: "back" }); }}>
        Step back
      </Button>
    </Box>
  );
}
