import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { CastRecord, ColliderRecord, MemberReading, Pop, Shot } from "../../api/client";
import { changeCollider, changeMember, plainCollider, respanCollider } from "../../domain/edits";
import { type Span, spread } from "../../domain/keys";
import { count } from "../../domain/words";
import { useEdit } from "../../state/queries";
import { useRoom } from "../../state/room";
import { Fold } from "../../ui/Fold";
import { KeyedField } from "../../ui/KeyedField";
import { PopNote } from "../../ui/PopNote";
import { SpanFields } from "../../ui/SpanFields";
import { type Keep, UnderstudyFields } from "./UnderstudyFields";

interface ColliderFieldsProps {
  shot: Shot;
  member: CastRecord;
  read: MemberReading | undefined;
}

/** How cloth meets a cast member: whether at all, how far off it stays, how it rubs, and what is left out. */
export function ColliderFields({ shot, member, read }: ColliderFieldsProps) {
  const edit = useEdit(shot);
  const collider = member.collider ?? null;
  const keep = (change: Partial<ColliderRecord>, said: string) => {
    edit.mutate({ edit: (document) => changeCollider(document, member.name, change, said) });
  };
  const keepSpan = (end: Partial<Span>) => {
    edit.mutate({ edit: (document) => respanCollider(document, member.name, end), onNewest: true });
  };
  return (
    <Fold title="Collider" said={saidOf(collider)}>
      <FormControlLabel
        control={
          <Checkbox
            size="small"
            checked={collider !== null}
            sx={{ py: 0.4 }}
            onChange={(_, checked) => {
              const said = checked ? "keeps cloth off" : "lets cloth through";
              edit.mutate({ edit: (document) => changeMember(document, member.name, { collider: checked ? plainCollider : null }, said) });
            }}
          />
        }
        label={<Typography sx={{ fontSize: 13 }}>Keeps cloth off</Typography>}
      />
      {collider !== null && read?.pops.map((pop) => <PopNote key={`${pop.keyed} ${pop.first}`} pop={pop} widen={() => { widenGap(collider, pop, keep); }} />)}
      {collider !== null && <Contact collider={collider} keep={keep} keepSpan={keepSpan} />}
      {collider !== null && <UnderstudyFields member={member.name} collider={collider} read={read} keep={keep} />}
      {collider !== null && <FacesLeftOut member={member.name} collider={collider} keep={keep} />}
      {collider !== null && (read?.parts.length ?? 0) > 1 && <LeftOut collider={collider} parts={read?.parts ?? []} keep={keep} />}
    </Fold>
  );
}

function widenGap(collider: ColliderRecord, pop: Pop, keep: Keep): void {
  const key = pop.keyed === "thickness_mm" ? "thickness_mm" : "clearance_mm";
  keep({ [key]: spread(collider[key], [pop.first, pop.last], pop.wider) }, `changes over frames ${pop.wider[0]} to ${pop.wider[1]}`);
}


interface ContactProps {
  collider: ColliderRecord;
  keep: Keep;
  keepSpan(end: Partial<Span>): void;
}

function Contact({ collider, keep, keepSpan }: ContactProps) {
  const { clearance_mm: clearance, friction, thickness_mm: thickness } = collider;
  return (
    <>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
        <KeyedField label="Clearance, mm" value={clearance} low={0} high={1000} keep={(value, said) => { keep({ clearance_mm: value }, said); }} />
        <KeyedField label="Thickness, mm" value={thickness} low={0} high={1000} keep={(value, said) => { keep({ thickness_mm: value }, said); }} />
        <KeyedField label="Friction" value={friction} low={0} high={5} keep={(value, said) => { keep({ friction: value }, said); }} />
      </Box>
      <Typography sx={{ fontSize: 12, color: "text.secondary" }}>
        Cloth stays off by the clearance and half of each thickness. 2 mm frees cloth in an armpit; 9 to 12 mm leave room for a second layer.
      </Typography>
      <SpanFields value={collider.on} keep={keepSpan} />
    </>
  );
}

/** Single faces that cloth passes, drawn around on the stage. */
function FacesLeftOut({ member, collider, keep }: { member: string; collider: ColliderRecord; keep: Keep }) {
  const drawing = useRoom((room) => room.leavingOut === member);
  const set = useRoom((room) => room.set);
  const faces = collider.leave_out_faces.length;
  return (
    <Box sx={{ mb: 0.5 }}>
      <Button size="small" aria-pressed={drawing} onClick={() => { set({ leavingOut: drawing ? null : member }); }}>
        {drawing ? "Done drawing" : "Draw around faces to leave out"}
      </Button>
      {drawing && (
        <Typography sx={{ fontSize: 12, color: "text.secondary" }}>
          What is left out is lit. Draw around faces on the stage; Shift takes the far side too, Alt takes faces in again, the right button turns.
        </Typography>
      )}
      {faces > 0 && (
        <Box sx={{ display: "flex", alignItems: "center", justifyContent: "space-between" }}>
          <Typography sx={{ fontSize: 12.5 }}>{count(faces, "face")} left out</Typography>
          <Button size="small" onClick={() => { keep({ leave_out_faces: [] }, "no single faces left out"); }}>
            Take them in again
          </Button>
        </Box>
      )}
    </Box>
  );
}

/** Joints or groups whose faces cannot touch the garment: bare arms under a sleeveless top, a head. */
function LeftOut({ collider, parts, keep }: { collider: ColliderRecord; parts: readonly string[]; keep: Keep }) {
  return (
    <Autocomplete
      multiple
      size="small"
      options={parts}
      value={collider.leave_out}
      disableCloseOnSelect
      slotProps={{ chip: { size: "small" } }}
      onChange={(_, value) => {
        keep({ leave_out: value }, value.length === 0 ? "nothing left out" : `left out: ${value.join(", ")}`);
      }}
      renderInput={(params) => <TextField {...params} label="Leave out" margin="dense" placeholder={collider.leave_out.length === 0 ? "parts that cannot touch" : ""} />}
    />
  );
}

function saidOf(collider: ColliderRecord | null): string {
  if (collider === null) return "not at all";
  const { clearance_mm: clearance, leave_out: out } = collider;
  const off = typeof clearance === "number" ? `${clearance} mm off` : "keyed";
  const stand = collider.understudy === null ? "" : `, ${collider.understudy.shape}`;
  return out.length === 0 ? off + stand : `${off}${stand}, ${count(out.length, "part")} out`;
}
