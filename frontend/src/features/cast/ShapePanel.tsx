import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { CastRecord, MemberReading, ShapeRecord, Shot } from "../../api/client";
import { PLAIN_SHAPE } from "../../domain/cast";
import { changeMember, freeName } from "../../domain/edits";
import { useEdit } from "../../state/queries";
import { Fold } from "../../ui/Fold";
import { KeyedField } from "../../ui/KeyedField";
import { NumberField } from "../../ui/NumberField";

const GROWN_OVER = 30; // frames, common practice

interface ShapePanelProps {
  shot: Shot;
  member: CastRecord;
  read: MemberReading | undefined;
}

/** Second shapes of a body, blended in over time: to grow it into a garment, or to mend a pose. */
export function ShapePanel({ shot, member, read }: ShapePanelProps) {
  const edit = useEdit(shot);
  const keep = (shapes: ShapeRecord[], said: string) => {
    edit.mutate({ edit: (document) => changeMember(document, member.name, { shapes }, said) });
  };
  const change = (name: string, change: Partial<ShapeRecord>, said: string) => {
    keep(member.shapes.map((one) => (one.name === name ? { ...one, ...change } : one)), `${name}: ${said}`);
  };
  const add = (shape: ShapeRecord, said: string) => {
    const name = freeName(shape.name, member.shapes.map((one) => one.name));
    keep([...member.shapes, { ...shape, name }], said);
  };
  const unused = (read?.shapes ?? []).filter((name) => !member.shapes.some((one) => one.shape === name));
  return (
    <Fold title="Second shapes" said={member.shapes.length === 0 ? "none" : member.shapes.map((one) => one.name).join(", ")}>
      {member.shapes.map((shape) => (
        <Box key={shape.name} role="group" aria-label={`Shape ${shape.name}`} sx={{ mb: 1, pl: 1, borderLeft: 2, borderColor: "divider" }}>
          <Typography sx={{ fontSize: 12.5, fontWeight: 600 }}>{shape.name}</Typography>
          {shape.drawn_in_mm !== null && (
            <NumberField label="Drawn inwards, mm" value={shape.drawn_in_mm} low={0.1} high={200} keep={(drawn_in_mm) => { change(shape.name, { drawn_in_mm }, `drawn in ${drawn_in_mm} mm`); }} />
          )}
          {shape.drawn_in_mm !== null && (read?.parts.length ?? 0) > 1 && (
            <Autocomplete
              multiple
              size="small"
              options={read?.parts ?? []}
              value={shape.parts}
              disableCloseOnSelect
              slotProps={{ chip: { size: "small" } }}
              onChange={(_, parts) => {
                change(shape.name, { parts }, parts.length === 0 ? "everywhere" : `only ${parts.join(", ")}`);
              }}
              renderInput={(params) => <TextField {...params} label="Only these parts" margin="dense" placeholder={shape.parts.length === 0 ? "everywhere" : ""} />}
            />
          )}
          <KeyedField label="Amount, 0 to 1" value={shape.amount} low={0} high={1} keep={(amount, said) => { change(shape.name, { amount }, said); }} />
          <Button size="small" onClick={() => { keep(member.shapes.filter((one) => one.name !== shape.name), `without the shape ${shape.name}`); }}>
            Take out {shape.name}
          </Button>
        </Box>
      ))}
      <Button size="small" variant="outlined" onClick={() => { add(slimmed(shot), "grows into its garment"); }}>
        Grow it into the garment
      </Button>
      <Typography sx={{ fontSize: 12, color: "text.secondary" }}>
        Starts it 15 mm slimmer and lets it fill out over {GROWN_OVER} frames of the run-in, so that cloth hangs off it.
      </Typography>
      {unused.length > 0 && (
        <TextField
          select
          label="A shape of its file"
          value=""
          margin="dense"
          onChange={(event) => {
            add(ofFile(event.target.value), `takes on ${event.target.value}`);
          }}
        >
          {unused.map((name) => (
            <MenuItem key={name} value={name}>
              {name}
            </MenuItem>
          ))}
        </TextField>
      )}
    </Fold>
  );
}

function slimmed(shot: Shot): ShapeRecord {
  const start = shot.first_simulated;
  return { ...PLAIN_SHAPE, name: "slimmed", drawn_in_mm: 15, amount: { frames: [start, start + GROWN_OVER], values: [1, 0] } };
}

function ofFile(shape: string): ShapeRecord {
  return { ...PLAIN_SHAPE, name: shape, shape };
}
