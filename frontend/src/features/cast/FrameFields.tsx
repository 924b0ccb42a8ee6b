import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import type { Shot } from "../../api/client";
import { changeFrames, changeRunIn, renamed } from "../../domain/edits";
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
  const rename = (text: string) => {
    const name = text.trim().slice(0, 80);
    if (name !== "" && name !== shot.name) edit.mutate({ edit: (document) => renamed(document, name) });
  };
  return (
    <Section title="Shot, frames and run-in">
      <TextField
        key={shot.name}
        label="Name of the shot"
        defaultValue={shot.name}
        margin="dense"
        onBlur={(event) => {
          rename(event.target.value);
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter") rename((event.target as HTMLInputElement).value);
        }}
      />
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1 }}>
        <NumberField label="First frame" value={first} whole keep={(value) => { frames({ first: value }); }} />
        <NumberField label="Last frame" value={last} whole keep={(value) => { frames({ last: value }); }} />
        <NumberField label="Settle, frames" value={run.settle} whole low={0} high={2000} keep={(value) => { runIn({ settle: value }); }} />
        <NumberField label="Move, frames" value={run.move} whole low={0} high={2000} keep={(value) => { runIn({ move: value }); }} />
      </Box>
    </Section>
  );
}
