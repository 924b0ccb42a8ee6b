import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import { useTheme } from "@mui/material/styles";
import Typography from "@mui/material/Typography";
import type { Delivery, Shot, Take } from "../../api/client";
import { bytes, when } from "../../domain/words";
import { useDropDelivery } from "../../state/queries";
import { FaultNote, Panel } from "../../ui/Card";

const SAID: Record<Delivery["state"], string> = {
  waiting: "waiting for a worker",
  writing: "being written and checked",
  ready: "ready, every check is good",
  refused: "written, but a check failed",
  failed: "could not be written",
};

/** One delivery: its checks, and the file. */
export function DeliveryPanel({ shot, delivery, take }: { shot: Shot; delivery: Delivery; take: Take | undefined }) {
  const drop = useDropDelivery(shot.id);
  const busy = delivery.state === "waiting" || delivery.state === "writing";
  return (
    <Panel label={delivery.file_name}>
      <Typography sx={{ fontWeight: 600, fontSize: 13, overflowWrap: "anywhere" }}>{delivery.file_name.replace(/_/g, "_\u200b")}</Typography>
      <Typography sx={{ fontSize: 12, color: "text.secondary" }}>
        {delivery.take_name} · {when(delivery.made_at)}
        {delivery.bytes !== null && ` · ${bytes(delivery.bytes)}`}
      </Typography>
      <Typography sx={{ fontSize: 12.5, fontWeight: 600, color: delivery.state === "ready" ? "success.main" : busy ? "primary.main" : "error.main" }}>
        {SAID[delivery.state]}
      </Typography>
      {busy && <LinearProgress aria-label="Writing" sx={{ my: 0.5 }} />}
      {take !== undefined && take.stale.length > 0 && (
        <Typography sx={{ fontSize: 12.5, color: "warning.main" }}>stale: the shot has changed since this take</Typography>
      )}
      {delivery.fault !== null && <FaultNote fault={delivery.fault} />}
      <Box component="ul" sx={{ listStyle: "none", p: 0, m: 0, mt: 0.5 }}>
        {delivery.checks.map((check) => (
          <CheckLine key={check.name} name={check.name} said={check.said} mood={!check.good ? "fault" : check.note ? "note" : "good"} />
        ))}
      </Box>
      <Box sx={{ display: "flex", gap: 1, mt: 0.75 }}>
        {delivery.bytes !== null && (
          <Button variant="contained" href={`/api/deliveries/${delivery.id}/file`} aria-label={`Download ${delivery.file_name}`}>
            Download
          </Button>
        )}
        {!busy && (
          <Button
            aria-label={`Delete ${delivery.file_name}`}
            onClick={() => {
              drop.mutate(delivery.id);
            }}
            sx={{ fontWeight: 400 }}
          >
            Delete
          </Button>
        )}
      </Box>
    </Panel>
  );
}

function CheckLine({ name, said, mood }: { name: string; said: string; mood: "good" | "note" | "fault" }) {
  const c = useTheme().cloth;
  const colour = { good: c.verdigris, note: c.weld, fault: c.madder }[mood];
  const word = { good: "good", note: "note", fault: "fault" }[mood];
  return (
    <Box component="li" sx={{ display: "grid", gridTemplateColumns: "20px 1fr", mb: 0.4 }}>
      <svg width="14" height="16" viewBox="0 0 14 16" role="img" aria-label={word} fill="none" stroke={colour} strokeWidth="2">
        {mood === "good" && <path d="M2 8.5l3.2 3.5 6-8" />}
        {mood === "note" && <path d="M7 3v6M7 12v.6" />}
        {mood === "fault" && <path d="M3 4l8 8M11 4l-8 8" />}
      </svg>
      <Typography sx={{ fontSize: 12.5 }}>
        <b>{name}</b>: {said}
      </Typography>
    </Box>
  );
}
