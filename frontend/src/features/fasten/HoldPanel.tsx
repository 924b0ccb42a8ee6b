import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Typography from "@mui/material/Typography";
import type { HoldReading, HoldRecord, Shot } from "../../api/client";
import { changeHold, changeHow, choiceSaid, gives, holdSaid, removeHold, respanHold, widen } from "../../domain/holds";
import type { Span } from "../../domain/keys";
import { capital, count } from "../../domain/words";
import { useEdit } from "../../state/queries";
import { useRoom } from "../../state/room";
import { Figure, Panel } from "../../ui/Card";
import { Fold } from "../../ui/Fold";
import { KeyedField } from "../../ui/KeyedField";
import { NumberField } from "../../ui/NumberField";
import { PopNote } from "../../ui/PopNote";
import { SpanFields } from "../../ui/SpanFields";
import { type KeepHow, KindFields } from "./KindFields";
import { ShakeTest } from "./ShakeTest";

export interface HoldPanelProps {
  shot: Shot;
  garment: string;
  hold: HoldRecord;
  read: HoldReading | undefined;
}

/** One hold: what it holds, how firmly, from when to when, and what will pop. */
export function HoldPanel({ shot, garment, hold, read }: HoldPanelProps) {
  const edit = useEdit(shot);
  const looked = useRoom((room) => room.hold === hold.name);
  const set = useRoom((room) => room.set);
  const keep = (change: Partial<HoldRecord>, said: string) => {
    edit.mutate({ edit: (document) => changeHold(document, garment, hold.name, change, said) });
  };
  const keepSpan = (end: Partial<Span>) => {
    edit.mutate({ edit: (document) => respanHold(document, garment, hold.name, end), onNewest: true });
  };
  const keepHow: KeepHow = (kind, change, said) => {
    edit.mutate({ edit: (document) => changeHow(document, garment, hold.name, kind, change, said) });
  };
  return (
    <Panel label={`Hold ${hold.name}`}>
      <Typography sx={{ fontWeight: 600, fontSize: 13 }}>{hold.name}</Typography>
      <Typography sx={{ fontSize: 12.5, overflowWrap: "anywhere" }}>
        {capital(choiceSaid(hold.choose))}: {holdSaid(hold)}
      </Typography>
      {read !== undefined && read.holding < read.vertices && (
        <Figure name="Holds on" value={`${read.holding} of ${count(read.vertices, "vertex", "vertices")}`} />
      )}
      {read?.notes.map((note) => (
        <Typography key={note} sx={{ fontSize: 12, color: "warning.main" }}>
          {capital(note)}.
        </Typography>
      ))}
      {read?.pops.map((pop) => (
        <PopNote key={`${pop.keyed} ${pop.first}`} pop={pop} widen={() => { edit.mutate({ edit: (document) => widen(document, garment, pop) }); }} />
      ))}
      <Fold title="Grip" said={gripSaid(hold)}>
        <KeyedField label="Grip, 0 to 1" value={hold.grip} low={0} high={1} keep={(grip, said) => { keep({ grip }, said); }} />
        <Typography sx={{ fontSize: 12, color: "text.secondary" }}>
          1 is welded. Below, it gives {typeof hold.grip === "number" && hold.grip < 1 ? gives(hold.grip) : "10 mm at 0.5, 1.1 mm at 0.9"} under the garment&apos;s own weight
          {read?.firmness != null ? `: ${Math.round(read.firmness).toLocaleString("en")} N/m` : ""}.
        </Typography>
      </Fold>
      <Fold title="When" said={hold.on === 1 ? "always" : hold.on === 0 ? "never" : "switched"}>
        <FormControlLabel
          control={<Checkbox size="small" checked={hold.on !== 0} sx={{ py: 0.4 }} onChange={(_, checked) => { keep({ on: checked ? 1 : 0 }, checked ? "switched on" : "switched off"); }} />}
          label={<Typography sx={{ fontSize: 13 }}>Holds</Typography>}
        />
        {hold.on !== 0 && <SpanFields value={hold.on} keep={keepSpan} />}
        <NumberField label="Regains its hold over, frames" value={hold.ease_in} low={0} high={1000} keep={(ease_in) => { keep({ ease_in }, `takes hold over ${ease_in} frames`); }} />
      </Fold>
      <KindFields shot={shot} garment={garment} hold={hold} keep={keepHow} />
      {hold.how.kind !== "stitched" && hold.how.kind !== "elastic" && <ShakeTest shot={shot} garment={garment} hold={hold.name} />}
      <Box sx={{ display: "flex", justifyContent: "space-between" }}>
        <Button size="small" aria-pressed={looked} onClick={() => { set({ hold: looked ? null : hold.name, lane: null }); }}>
          {looked ? "Hide its links" : "Show its links"}
        </Button>
        <Button
          size="small"
          aria-label={`Let go of ${hold.name}`}
          onClick={() => {
            edit.mutate({ edit: (document) => removeHold(document, garment, hold.name) });
          }}
        >
          Let go
        </Button>
      </Box>
    </Panel>
  );
}

function gripSaid(hold: HoldRecord): string {
  if (typeof hold.grip !== "number") return "keyed";
  if (hold.grip >= 1) return "welded";
  return `${hold.grip}, gives ${gives(hold.grip)}`;
}
