import Box from "@mui/material/Box";
import type { Shot } from "../../api/client";
import { changeFrames, changeRunIn } from "../../domain/edits";
import { useEdit } from "../../state/queries";
import { Section } from "../../ui/Card";
import { NumberField } from "../../ui/NumberField";

/** The frames that are delivered, and the run-in before them. */
export function FrameFields({ shot }: { shot: Shot }) {
  const edit = useEdit(shot);
  const [first, last] = shot.document.frames;
  const run = shot.document.run_in ?? { settle: 10, move: 30 };
  const frames = (next: { first?: number; last?: number }) => {
    edit.mutate({ edit: (document) => changeFrames(document, next) });
  };
  const runIn = (next: { settle?: number; move?: number }) => {
    edit.mutate({ edit: (document) => changeRunIn(document, next) });
  };
  return (
    <Section title="Frames and run-in">
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1 }}>
        <NumberField label="First frame" value={first} whole keep={(value) => { frames({ first: value }); }} />
        <NumberField label="Last frame" value={last} whole keep={(value) => { frames({ last: value }); }} />
        <NumberField label="Settle, frames" value={run.settle} whole low={0} high={2000} keep={(value) => { runIn({ settle: value }); }} />
        <NumberField label="Move, frames" value={run.move} whole low={0} high={2000} keep={(value) => { runIn({ move: value }); }} />
      </Box>
    </Section>
  );
}
