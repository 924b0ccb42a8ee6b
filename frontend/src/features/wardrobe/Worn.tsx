import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { FabricRecord, FillingRecord, GarmentRecord, Shot } from "../../api/client";
import { changeGarment } from "../../domain/edits";
import { tidy } from "../../domain/swatches";
import { useEdit } from "../../state/queries";
import { Section } from "../../ui/Card";
import { NumberField } from "../../ui/NumberField";

interface WornProps {
  shot: Shot;
  garment: GarmentRecord;
}

/** What belongs to the garment rather than to its cloth: its made folds, its lee side, what fills it. */
export function Worn({ shot, garment, fabric }: WornProps & { fabric: FabricRecord }) {
  const edit = useEdit(shot);
  const keep = (change: Partial<GarmentRecord>, said: string) => {
    edit.mutate({ edit: (document) => changeGarment(document, garment.name, change, said) });
  };
  return (
    <Section title="Made and worn">
      <TextField
        select
        label="Folds rest"
        value={garment.rest_angles}
        margin="dense"
        onChange={(event) => {
          const made = event.target.value === "as made";
          keep({ rest_angles: made ? "as made" : "flat" }, made ? "folds rest as made" : "folds rest flat");
        }}
      >
        <MenuItem value="flat">flat, like cloth off the bolt</MenuItem>
        <MenuItem value="as made">as made, like pressed pleats</MenuItem>
      </TextField>
      {fabric.memory > 0 && garment.rest_angles === "as made" && (
        <Typography sx={{ fontSize: 12, color: "text.secondary" }}>Shape memory adds to folds that already rest as made.</Typography>
      )}
      <NumberField
        label="Inside sheltered from wind, %"
        value={tidy((garment.shelter ?? 0) * 100)}
        low={0}
        high={100}
        keep={(value) => {
          keep({ shelter: tidy(value / 100) }, `inside sheltered ${value} %`);
        }}
      />
      <Filling garment={garment} keep={keep} />
    </Section>
  );
}

const START: Record<FillingRecord["by"], FillingRecord> = {
  pressure: { by: "pressure", amount: 50, stiffness: 20_000 },
  volume: { by: "volume", amount: 1, stiffness: 20_000 },
};

function Filling({ garment, keep }: { garment: GarmentRecord; keep(change: Partial<GarmentRecord>, said: string): void }) {
  const filling = garment.filling ?? null;
  return (
    <>
      <TextField
        select
        label="Filled"
        value={filling?.by ?? "nothing"}
        margin="dense"
        onChange={(event) => {
          const by = event.target.value;
          const next = by === "pressure" || by === "volume" ? START[by] : null;
          keep({ filling: next }, next === null ? "filled with nothing" : `filled by ${by}`);
        }}
      >
        <MenuItem value="nothing">with nothing</MenuItem>
        <MenuItem value="pressure">to a pressure</MenuItem>
        <MenuItem value="volume">to a share of its volume</MenuItem>
      </TextField>
      {filling !== null && typeof filling.amount !== "number" && (
        <Typography sx={{ fontSize: 12.5 }}>The filling is keyed: change it in the shot file.</Typography>
      )}
      {filling !== null && typeof filling.amount === "number" && (
        <NumberField
          label={filling.by === "pressure" ? "Pressure inside, Pa" : "Of its made volume, %"}
          value={filling.by === "pressure" ? filling.amount : tidy(filling.amount * 100)}
          low={filling.by === "pressure" ? -1e5 : 1}
          high={filling.by === "pressure" ? 1e5 : 10_000}
          keep={(value) => {
            const amount = filling.by === "pressure" ? value : tidy(value / 100);
            keep({ filling: { ...filling, amount } }, filling.by === "pressure" ? `${value} Pa inside` : `filled to ${value} % of its volume`);
          }}
        />
      )}
      {filling?.by === "volume" && (
        <NumberField
          label="Stiffness of what fills it, Pa"
          value={filling.stiffness ?? 20_000}
          low={1}
          high={1e9}
          keep={(stiffness) => {
            keep({ filling: { ...filling, stiffness } }, `filling ${stiffness} Pa stiff`);
          }}
        />
      )}
      {filling !== null && <Typography sx={{ fontSize: 12, color: "text.secondary" }}>Only a garment without openings can be filled.</Typography>}
    </>
  );
}
