import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { CastRecord, MemberReading, Shot } from "../../api/client";
import { changeMember } from "../../domain/edits";
import { useEdit } from "../../state/queries";
import { Fold } from "../../ui/Fold";
import { NumberField } from "../../ui/NumberField";

interface MotionFieldsProps {
  shot: Shot;
  member: CastRecord;
  read: MemberReading | undefined;
}

/** Where a member's motion comes from, when it starts, and what a file of another rate keeps. */
export function MotionFields({ shot, member, read }: MotionFieldsProps) {
  const edit = useEdit(shot);
  const keep = (change: Partial<CastRecord>, said: string) => {
    edit.mutate({ edit: (document) => changeMember(document, member.name, change, said) });
  };
  const source = member.cache ?? member.motion?.file ?? null;
  const still = read === undefined ? member.kind !== "character" : read.first === null;
  if (source === null && still) return null;
  return (
    <Fold title="Motion" said={source ?? `from ${member.starts_at ?? 0}`}>
      <NumberField label="Its first frame stands at" value={member.starts_at ?? 0} whole keep={(value) => { keep({ starts_at: value }, `starts at ${value}`); }} />
      <TextField
        select
        label="At another rate it keeps"
        value={member.timing ?? "real time"}
        margin="dense"
        onChange={(event) => {
          const timing = event.target.value === "frame for frame" ? "frame for frame" : "real time";
          keep({ timing }, `played ${timing}`);
        }}
      >
        <MenuItem value="real time">its time: frames between are interpolated</MenuItem>
        <MenuItem value="frame for frame">its frames: it plays faster or slower</MenuItem>
      </TextField>
      {source !== null && (
        <>
          <Typography sx={{ fontSize: 12.5, overflowWrap: "anywhere" }}>Moved by {source}</Typography>
          <Button size="small" onClick={() => { keep({ cache: null, motion: null }, "moves as in its own file"); }}>
            Back to its own motion
          </Button>
        </>
      )}
    </Fold>
  );
}
