import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { CastRecord, MemberReading, Reading, Shot } from "../../api/client";
import { placeTogether } from "../../domain/cast";
import { changeFrames, changeMember } from "../../domain/edits";
import { useEdit } from "../../state/queries";
import { FaultNote, Figure, Notes, Panel } from "../../ui/Card";
import { ColliderFields } from "./ColliderFields";
import { MotionFields, ParentFields } from "./MotionFields";
import { Offers } from "./Offers";
import { PlaceFields } from "./PlaceFields";
import { RestFile } from "./RestFile";
import { SelfCutPanel } from "./SelfCutPanel";
import { ShapePanel } from "./ShapePanel";
import { TakeOut } from "./TakeOut";
import { UnitFields } from "../../ui/UnitFields";

/** One cast member: what was read, its unit and axis, and what is wrong with it. */
export function MemberPanel({ shot, member, reading }: { shot: Shot; member: CastRecord; reading: Reading | undefined }) {
  const edit = useEdit(shot);
  const read = reading?.cast[member.name];
  const fault = reading?.faults[member.name];
  const [along, setAlong] = useState(true);
  const hasAlong = member.kind === "character" && shot.document.garments.length > 0;
  const goesAlong = hasAlong && along;
  return (
    <Panel label={member.name}>
      <Typography sx={{ fontWeight: 600, fontSize: 13.5 }}>
        {member.name}
        <Typography component="span" sx={{ fontSize: 12, color: "text.secondary" }}>
          {" "}
          · {member.kind}
        </Typography>
      </Typography>
      {reading === undefined && <Typography sx={{ fontSize: 12.5, color: "text.secondary" }}>Reading…</Typography>}
      {read !== undefined && (
        <>
          <Typography sx={{ fontSize: 12.5, mb: 0.5 }}>{read.said}</Typography>
          <Figure name="Vertices" value={read.vertices.toLocaleString("en")} />
          <Figure name="Triangles" value={read.triangles.toLocaleString("en")} />
          <Figure name="Moves" value={read.first === null ? "stands still" : `frames ${read.first} to ${read.last}`} />
          {read.first !== null && <Figure name="Fastest point" value={`${read.fastest.toFixed(1)} m/s`} />}
          <Figure name="Collide" value={member.collider === null ? "none" : `${read.colliding.toLocaleString("en")} triangles`} />
        </>
      )}
      <Notes notes={read?.notes ?? []} />
      {fault !== undefined && <FaultNote fault={fault} />}
      {read !== undefined && <Offers shot={shot} member={member.name} read={read} />}
      {read !== undefined && read.first !== null && read.last !== null && !covers(read, shot) && (
        <Button
          variant="outlined"
          sx={{ mt: 0.75 }}
          onClick={() => {
            const { first, last } = read;
            edit.mutate({ edit: (document) => changeFrames(document, { first: first ?? undefined, last: last ?? undefined }) });
          }}
        >
          Use its frames, {read.first} to {read.last}
        </Button>
      )}
      <ColliderFields shot={shot} member={member} read={read} />
      {member.kind === "character" && <SelfCutPanel shot={shot} member={member.name} />}
      {member.kind === "character" && <ShapePanel shot={shot} member={member} read={read} />}
      <ParentFields shot={shot} member={member} reading={reading} />
      <MotionFields shot={shot} member={member} read={read} />
      <PlaceFields
        placed={member.placed}
        change={(placed, said) => {
          edit.mutate({
            edit: (document) => (goesAlong ? placeTogether(document, member.name, placed, said) : changeMember(document, member.name, { placed }, said)),
          });
        }}
        along={hasAlong ? { on: along, set: setAlong } : undefined}
      />
      <UnitFields
        unit={member.unit ?? "m"}
        up={member.up ?? "y"}
        change={(change, said) => {
          edit.mutate({ edit: (document) => changeMember(document, member.name, change, said) });
        }}
      />
      {member.kind === "character" && <RestFile shot={shot} member={member.name} />}
      <TakeOut shot={shot} name={member.name} />
    </Panel>
  );
}

/** Whether a member's animation reaches over the whole shot. */
function covers(read: MemberReading, shot: Shot): boolean {
  const [first, last] = shot.document.frames;
  return (read.first ?? first) <= first && (read.last ?? last) >= last;
}
