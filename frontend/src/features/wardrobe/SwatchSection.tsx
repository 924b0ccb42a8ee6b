import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ListSubheader from "@mui/material/ListSubheader";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { FabricRecord, GarmentRecord, Shot } from "../../api/client";
import { changeGarment } from "../../domain/edits";
import { changeSwatch, dropUnworn, FIGURES, ownSwatch, PULLS, RARE_FIGURES, shown, type SwatchFigure, tidy, usersOf, wear } from "../../domain/swatches";
import { count } from "../../domain/words";
import { useEdit, useSwatchBook } from "../../state/queries";
import { Section } from "../../ui/Card";
import { Fold } from "../../ui/Fold";
import { NumberField, OptionalNumberField } from "../../ui/NumberField";
import { PullPanel } from "./PullPanel";

interface OfSwatch {
  shot: Shot;
  fabric: FabricRecord;
}

/** The swatch a garment is made of: choose it, change its figures. */
export function SwatchSection({ shot, garment, fabric }: OfSwatch & { garment: GarmentRecord }) {
  const edit = useEdit(shot);
  const unworn = shot.document.fabrics.filter((one) => usersOf(shot.document, one.name).length === 0);
  const sharing = usersOf(shot.document, fabric.name).filter((name) => name !== garment.name);
  return (
    <Section title="Swatch">
      <Chooser shot={shot} garment={garment} fabric={fabric} />
      {sharing.length > 0 && (
        <Box sx={{ mb: 0.75 }}>
          <Typography sx={{ fontSize: 12, color: "text.secondary" }}>The {sharing.join(" and the ")} changes with it.</Typography>
          <Button
            sx={{ ml: -0.75, fontWeight: 400, fontSize: 12.5 }}
            onClick={() => {
              edit.mutate({ edit: (document) => ownSwatch(document, garment.name) });
            }}
          >
            Give the {garment.name} its own
          </Button>
        </Box>
      )}
      {unworn.length > 0 && (
        <Button
          sx={{ ml: -0.75, fontWeight: 400, fontSize: 12.5 }}
          onClick={() => {
            edit.mutate({ edit: dropUnworn });
          }}
        >
          Drop {count(unworn.length, "swatch", "swatches")} that nothing is made of
        </Button>
      )}
      <Figures shot={shot} fabric={fabric} figures={FIGURES} />
      <Fold title="Stretch and compression" said={pulledSaid(fabric)}>
        <StrainLimit shot={shot} fabric={fabric} />
        {PULLS.map((pull) => (
          <PullPanel key={pull.direction} shot={shot} fabric={fabric} pull={pull} />
        ))}
      </Fold>
      <Fold title="Memory, damping and air" said={fabric.memory > 0 ? "keeps its shape" : "no memory"}>
        <Figures shot={shot} fabric={fabric} figures={RARE_FIGURES} />
        <Typography sx={{ fontSize: 12, color: "text.secondary" }}>
          Shape memory draws a fold back to the angle it was made with, like one more bend.
        </Typography>
      </Fold>
    </Section>
  );
}

const BOOK = "book: ";

/** The shot's own swatches first, then the book's, which are copied into the shot when they are taken. */
function Chooser({ shot, garment, fabric }: OfSwatch & { garment: GarmentRecord }) {
  const edit = useEdit(shot);
  const book = useSwatchBook().data ?? [];
  const choose = (value: string) => {
    const taken = book.find((swatch) => BOOK + swatch.fabric.name === value);
    edit.mutate({
      edit: (document) =>
        taken === undefined ? changeGarment(document, garment.name, { fabric: value }, `made of ${value}`) : wear(document, garment.name, taken.fabric),
    });
  };
  return (
    <TextField
      select
      label="Made of"
      value={fabric.name}
      margin="dense"
      slotProps={{ select: { MenuProps: { slotProps: { paper: { sx: { maxWidth: 300 } } } } } }}
      onChange={(event) => {
        choose(event.target.value);
      }}
    >
      <ListSubheader>In this shot</ListSubheader>
      {shot.document.fabrics.map((one) => (
        <MenuItem key={one.name} value={one.name}>
          {one.name} · {weight(one)}
        </MenuItem>
      ))}
      <ListSubheader>Swatch book</ListSubheader>
      {book.map(({ said, fabric: one }) => (
        <MenuItem key={BOOK + one.name} value={BOOK + one.name} sx={{ display: "block", whiteSpace: "normal" }}>
          {one.name} · {weight(one)}
          <Typography sx={{ fontSize: 12, color: "text.secondary" }}>{said}</Typography>
        </MenuItem>
      ))}
    </TextField>
  );
}

const weight = (fabric: FabricRecord) => `${Math.round(fabric.areal_density * 1000)} g/m²`;

function Figures({ shot, fabric, figures }: OfSwatch & { figures: readonly SwatchFigure[] }) {
  const edit = useEdit(shot);
  const keep = ({ key, label, unit, scale }: SwatchFigure, value: number) => {
    edit.mutate({
      edit: (document) => changeSwatch(document, fabric.name, { [key]: tidy(value / scale) }, `${label.toLowerCase()} ${value} ${unit}`),
    });
  };
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 1 }}>
      {figures.map((figure) => (
        <NumberField
          key={figure.key}
          label={figure.unit === "coefficient" ? figure.label : `${figure.label}, ${figure.unit}`}
          value={shown(fabric, figure)}
          low={figure.low}
          high={figure.high}
          keep={(value) => {
            keep(figure, value);
          }}
        />
      ))}
    </Box>
  );
}

function StrainLimit({ shot, fabric }: OfSwatch) {
  const edit = useEdit(shot);
  const limit = fabric.strain_limit ?? null;
  return (
    <>
      <OptionalNumberField
        label="Strain limit, %"
        none="no limit"
        value={limit === null ? null : tidy(limit * 100)}
        low={0.1}
        high={1000}
        keep={(value) => {
          const said = value === null ? "no strain limit" : `gives at most ${value} %`;
          edit.mutate({ edit: (document) => changeSwatch(document, fabric.name, { strain_limit: value === null ? null : tidy(value / 100) }, said) });
        }}
      />
      <Typography sx={{ fontSize: 12, color: "text.secondary", mb: 1 }}>
        A last resort: beyond it the cloth is thirty times as stiff, and the take says where that was needed.
      </Typography>
    </>
  );
}

function pulledSaid(fabric: FabricRecord): string {
  const measured = PULLS.filter((pull) => (fabric[pull.load] ?? null) !== null).length;
  const parts = [measured === 0 ? "straight lines" : `${measured} measured`];
  if ((fabric.strain_limit ?? null) !== null) parts.push("limited");
  return parts.join(", ");
}
