import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Slider from "@mui/material/Slider";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Mending, Shot, Take } from "../../api/client";
import { bestFor, REMEDIES, type Verb } from "../../domain/mending";
import { useMend } from "../../state/mend";
import { type Ask, useDoRemedy } from "../../state/mending";
import { useSwatchBook } from "../../state/queries";
import { Fold } from "../../ui/Fold";
import { NumberField } from "../../ui/NumberField";

interface RemediesProps {
  shot: Shot;
  take: Take;
  kind: string;
  place: Pick<Ask, "snag" | "garment" | "vertices">;
  span: readonly [number, number];
  vertices: number;
  done(mended: Mending): void;
}

interface Fine {
  join: number;
  wider: number;
  grip: number;
  drawn: number;
  strength: number;
  clearance: number;
  friction: number;
  patience: "" | "first-look" | "working" | "final";
  fabric: string;
  without: string;
}

const PLAIN: Fine = { join: 4, wider: 1, grip: 0.5, drawn: 4, strength: 1, clearance: 1, friction: 1, patience: "", fabric: "", without: "" };

/** Remedies as verbs, the likeliest one filled, with what each will touch. */
export function Remedies({ shot, take, kind, place, span, vertices, done }: RemediesProps) {
  const remedy = useDoRemedy(shot.id);
  const chosen = useMend((mend) => mend.span);
  const set = useMend((mend) => mend.set);
  const [fine, setFine] = useState(PLAIN);
  const [first, last] = chosen ?? span;
  const best = bestFor(kind);
  const change = (part: Partial<Fine>) => {
    setFine({ ...fine, ...part });
  };
  const ask = (verb: Verb) => {
    const { join, wider, grip, drawn, strength, clearance, friction, patience, fabric, without } = fine;
    const more: Partial<Ask> = {
      ...(patience === "" ? {} : { patience }),
      ...(fabric === "" ? {} : { fabric }),
      ...(without === "" ? {} : { without: [without] }),
    };
    remedy.mutate({ take: take.id, ask: { verb, ...place, first, last, join, wider, grip, drawn_in_mm: drawn, strength, clearance, friction, ...more } }, { onSuccess: done });
  };
  const frames = last - first + 1 + 2 * fine.join;
  return (
    <Box sx={{ my: 0.75 }}>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 0.6 }}>
        {REMEDIES.map(({ verb, name, said }) => (
          <Button key={verb} variant={verb === best ? "contained" : "outlined"} disabled={remedy.isPending} title={said} sx={{ px: 0.5, py: 0.4, fontSize: 12.5 }} onClick={() => { ask(verb); }}>
            {name}
          </Button>
        ))}
      </Box>
      <Typography sx={{ fontSize: 12, color: "text.secondary", mt: 0.5 }}>
        {REMEDIES.find((one) => one.verb === best)?.name}: {REMEDIES.find((one) => one.verb === best)?.said}. Touches {vertices} vertices and a soft rim, {frames} frames; joins softly over {fine.join}.
      </Typography>
      <Fold title="Span, rim and more" said="">
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1 }}>
          <NumberField label="From frame" value={first} whole low={take.first} high={last} keep={(from) => { set({ span: [from, last] }); }} />
          <NumberField label="To frame" value={last} whole low={first} high={take.last} keep={(to) => { set({ span: [first, to] }); }} />
          <NumberField label="Join, frames" value={fine.join} whole low={0} high={48} keep={(join) => { change({ join }); }} />
          <NumberField label="Wider, times" value={fine.wider} low={0.2} high={5} keep={(wider) => { change({ wider }); }} />
          <NumberField label="Draw in, mm" value={fine.drawn} low={0} high={50} keep={(drawn) => { change({ drawn }); }} />
          <NumberField label="Smooth, times" value={fine.strength} low={0.1} high={20} keep={(strength) => { change({ strength }); }} />
          <NumberField label="Clearance, times" value={fine.clearance} low={0} high={10} keep={(clearance) => { change({ clearance }); }} />
          <NumberField label="Friction, times" value={fine.friction} low={0} high={10} keep={(friction) => { change({ friction }); }} />
        </Box>
        <Typography id="grip" sx={{ fontSize: 12, mt: 0.5 }}>
          Run again: how near to the take, {fine.grip.toFixed(2)}
        </Typography>
        <Slider size="small" aria-labelledby="grip" min={0} max={0.98} step={0.02} value={fine.grip} onChange={(_, grip) => { change({ grip: grip as number }); }} />
        <RunAgainWith shot={shot} fine={fine} change={change} />
      </Fold>
    </Box>
  );
}

function RunAgainWith({ shot, fine, change }: { shot: Shot; fine: Fine; change(part: Partial<Fine>): void }) {
  const book = useSwatchBook().data ?? [];
  const holds = shot.document.garments.flatMap((garment) => garment.holds.map((hold) => hold.name));
  const pick = (label: string, value: string, options: readonly (readonly [string, string])[], keep: (value: string) => void) => (
    <TextField select label={label} value={value} margin="dense" fullWidth slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }} onChange={(event) => { keep(event.target.value); }}>
      {options.map(([one, name]) => (
        <MenuItem key={one} value={one}>
          {name}
        </MenuItem>
      ))}
    </TextField>
  );
  return (
    <>
      {pick("Run again with patience", fine.patience, [["", "the take’s own"], ["first-look", "First look"], ["working", "Working"], ["final", "Final"]], (patience) => { change({ patience: patience as Fine["patience"] }); })}
      {pick("Run again in fabric", fine.fabric, [["", "its own"], ...book.map((one): [string, string] => [one.fabric.name, one.fabric.name])], (fabric) => { change({ fabric }); })}
      {holds.length > 0 && pick("Run again without the hold", fine.without, [["", "all holds hold"], ...[...new Set(holds)].map((one): [string, string] => [one, one])], (without) => { change({ without }); })}
    </>
  );
}
