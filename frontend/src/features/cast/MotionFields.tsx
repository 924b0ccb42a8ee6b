import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { CastRecord, MemberReading, Reading, Shot } from "../../api/client";
import { changeMember } from "../../domain/edits";
import { useEdit } from "../../state/queries";
import { Fold } from "../../ui/Fold";
import { NumberField } from "../../ui/NumberField";
import { UnitFields } from "../../ui/UnitFields";

const AXES = ["right", "up", "ahead"] as const;

interface MotionFieldsProps {
  shot: Shot;
  member: CastRecord;
  read: MemberReading | undefined;
}

/** Where a member's motion comes from, when it starts, and what a file of another rate keeps. */
export function MotionFields({ shot, member, read }: MotionFieldsProps) {
  const edit = useEdit(shot);
  const keep = (change: Partial<CastRecord> | ((newest: CastRecord) => Partial<CastRecord>), said: string) => {
    edit.mutate({ edit: (document) => changeMember(document, member.name, change, said) });
  };
  const source = member.cache ?? member.motion?.file ?? null;
  const still = read === undefined ? member.kind !== "character" : read.first === null;
  if (source === null && still) return null;
  return (
    <Fold title="Motion" said={source ?? `from ${member.starts_at ?? 0}`}>
      <NumberField label="First frame of the motion" value={member.starts_at ?? 0} whole keep={(value) => { keep({ starts_at: value }, `starts at ${value}`); }} />
      <TextField
        select
        label="If its rate differs, keep"
        value={member.timing ?? "real time"}
        margin="dense"
        onChange={(event) => {
          const timing = event.target.value === "frame for frame" ? "frame for frame" : "real time";
          keep({ timing }, `played ${timing}`);
        }}
      >
        <MenuItem value="real time">real time: frames are interpolated</MenuItem>
        <MenuItem value="frame for frame">every frame: it plays faster or slower</MenuItem>
      </TextField>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        <NumberField label="Turn of the motion, degrees" value={member.motion_turn} low={-360} high={360} keep={(motion_turn) => { keep({ motion_turn }, `motion turned by ${motion_turn}°`); }} />
        {AXES.map((name, axis) => (
          <NumberField
            key={name}
            label={`Motion ${name}, m`}
            value={member.motion_move[axis] ?? 0}
            keep={(value) => {
              const put = (newest: CastRecord) => newest.motion_move.map((old, at) => (at === axis ? value : old)) as [number, number, number];
              keep((newest) => ({ motion_move: put(newest) }), `motion moved to ${put(member).join(", ")} m`);
            }}
          />
        ))}
      </Box>
      <Typography sx={{ fontSize: 12, color: "text.secondary" }}>The rest pose stays where it is.</Typography>
      {member.cache !== null && (
        <UnitFields
          unit={member.cache_as.unit ?? member.unit}
          up={member.cache_as.up ?? member.up}
          of="Cache"
          change={(change, said) => { keep((newest) => ({ cache_as: { ...newest.cache_as, ...change } }), `cache ${said}`); }}
        />
      )}
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

interface ParentFieldsProps {
  shot: Shot;
  member: CastRecord;
  reading: Reading | undefined;
}

/** Which joint of which character carries a prop or set piece. */
export function ParentFields({ shot, member, reading }: ParentFieldsProps) {
  const edit = useEdit(shot);
  const carriers = (shot.document.cast ?? []).filter((one) => one.kind === "character" && (reading?.cast[one.name]?.parts.length ?? 2) > 1);
  if (member.kind === "character" || carriers.length === 0) return null;
  const parent = member.parent;
  const joints = reading?.cast[parent?.member ?? ""]?.parts ?? [];
  const put = (next: CastRecord["parent"], said: string) => {
    edit.mutate({ edit: (document) => changeMember(document, member.name, { parent: next }, said) });
  };
  return (
    <Fold title="Carried" said={parent === null ? "by nobody" : `by ${parent.member}, ${parent.joint}`}>
      <TextField
        select
        label="Carried by"
        value={parent?.member ?? ""}
        margin="dense"
        onChange={(event) => {
          const name = event.target.value;
          const first = reading?.cast[name]?.parts[0];
          if (name === "" || first === undefined) put(null, "carried by nobody");
          else put({ member: name, joint: first }, `carried by ${name}`);
        }}
      >
        <MenuItem value="">nobody</MenuItem>
        {carriers.map((one) => (
          <MenuItem key={one.name} value={one.name}>
            {one.name}
          </MenuItem>
        ))}
      </TextField>
      {parent !== null && (
        <TextField
          select
          label="Joint"
          value={joints.includes(parent.joint) ? parent.joint : ""}
          margin="dense"
          helperText="It stands as placed while the character is in its rest pose"
          onChange={(event) => {
            put({ ...parent, joint: event.target.value }, `carried by ${event.target.value}`);
          }}
        >
          {joints.map((joint) => (
            <MenuItem key={joint} value={joint}>
              {joint}
            </MenuItem>
          ))}
        </TextField>
      )}
    </Fold>
  );
}
