/** The row along the foot of the stage while a garment is sewn, or waits to be. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import type { Shot } from "../api/client";
import { leaveFitting, tell, useFitting } from "../state/fitting";
import { useRoom } from "../state/room";

export function SewingBar({ shot }: { shot: Shot }) {
  const active = useRoom((room) => room.bench === "wardrobe");
  const { line, told } = useFitting();
  if (!active || line === "none" || line === "ended") return null;
  const sewing = told?.shot === shot.id ? told.sewing : null;
  return (
    <Box
      role="group"
      aria-label="Sewing"
      sx={{ position: "absolute", left: 14, right: 14, bottom: 12, display: "flex", alignItems: "center", gap: 1.25, px: 1.5, py: 0.9, borderRadius: 1, bgcolor: "background.default", boxShadow: 1 }}
    >
      <Typography role="status" noWrap sx={{ fontSize: 12.5 }}>
        {sewing === null || sewing === undefined ? "Laying the pieces round the figure…" : `${sewing.garment}: ${sewing.stage}${sewing.paused ? ", waiting" : ""}`}
      </Typography>
      <LinearProgress aria-label="How far it is sewn" variant={sewing == null ? "indeterminate" : "determinate"} value={100 * (sewing?.share ?? 0)} sx={{ flex: 1, height: 5, borderRadius: 3 }} />
      {sewing != null && (
        <Button
          sx={{ minWidth: 0, px: 1.1, py: 0.4, fontSize: 12.5 }}
          onClick={() => {
            tell({ do: sewing.paused ? "fall" : "hold" });
          }}
        >
          {sewing.paused ? "Go on" : "Hold still"}
        </Button>
      )}
      {sewing?.stage === "it falls" && (
        <Button
          sx={{ minWidth: 0, px: 1.1, py: 0.4, fontSize: 12.5 }}
          onClick={() => {
            tell({ do: "enough" });
          }}
        >
          Keep it now
        </Button>
      )}
      <Button
        sx={{ minWidth: 0, px: 1.1, py: 0.4, fontSize: 12.5 }}
        onClick={() => {
          tell({ do: "give up" });
          leaveFitting();
        }}
      >
        Give up
      </Button>
    </Box>
  );
}
