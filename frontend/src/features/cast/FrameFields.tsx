import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { Reading, Shot } from "../../api/client";
import { changeFrames, changeRunIn, renamed } from "../../domain/edits";
import { capital, jerkSaid } from "../../domain/words";
import { useEdit } from "../../state/queries";
import { Section } from "../../ui/Card";
import { NameField } from "../../ui/NameField";
import { NumberField } from "../../ui/NumberField";

/** The frames that are delivered, and the run-in before them. */
export function FrameFields({ shot, reading }: { shot: Shot; reading: Reading | undefined }) {
  const edit = useEdit(shot);
  const [first, last] = shot.document.frames;
  const run = shot.document.run_in;
  const frames = (next: { first?: number; last?: number }) => {
    edit.mutate({ edit: (document) => changeFrames(document, next) });
  };
  const runIn = (next: { settle?: number; move?: number }) => {
    edit.mutate({ edit: (document) => changeRunIn(document, next) });
  };
  return (
    <Section title="Shot, frames and run-in">
      <NameField
        label="Name of the shot"
        value={shot.name}
        keep={(name) => {
          edit.mutate({ edit: (document) => renamed(document, name) });
        }}
      />
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1 }}>
        <NumberField label="First frame" value={first} whole keep={(value) => { frames({ first: value }); }} />
        <NumberField label="Last frame" value={last} whole keep={(value) => { frames({ last: value }); }} />
        <NumberField label="Settle, frames" value={run.settle} whole low={0} high={2000} keep={(value) => { runIn({ settle: value }); }} />
        <NumberField label="Move, frames" value={run.move} whole low={0} high={2000} keep={(value) => { runIn({ move: value }); }} />
      </Box>
      {(reading?.pulse.jerks ?? []).map((jerk) => (
        <Typography key={jerk.of} role="note" sx={{ fontSize: 12, color: "warning.main", mb: 0.5 }}>
          {capital(jerkSaid(jerk))}. A first frame in which it moves less, or a few more frames of motion before it, help.
        </Typography>
      ))}
      {reading !== undefined && <Suggestion shot={shot} wanted={reading.pulse.suggested_move} keep={(move) => { runIn({ move }); }} />}
    </Section>
  );
}

/** How long the move into the first frame should take, from how far the body has to go. */
function Suggestion({ shot, wanted, keep }: { shot: Shot; wanted: number; keep(move: number): void }) {
  const move = shot.document.run_in.move;
  const start = shot.first_simulated;
  return (
    <Typography component="div" sx={{ fontSize: 12, color: "text.secondary" }}>
      The run-in is simulated from {start} and not delivered.
      {wanted > move && (
        <Box sx={{ mt: 0.5, color: "text.primary" }}>
          The body has far to go into frame {shot.document.frames[0]}: in {move} frames it moves faster than a calm 1.5 m/s.{" "}
          <Button size="small" variant="outlined" onClick={() => { keep(wanted); }}>
            Move over {wanted} frames
          </Button>
        </Box>
      )}
    </Typography>
  );
}
