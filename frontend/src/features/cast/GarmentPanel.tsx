import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { FileRecipe, GarmentReading, GarmentRecord, Reading, Shot } from "../../api/client";
import type { Offer } from "../../domain/cast";
import { changeRecipe, copyGarment } from "../../domain/edits";
import { count, mm } from "../../domain/words";
import { useEdit } from "../../state/queries";
import { FaultNote, Figure, Notes, Panel } from "../../ui/Card";
import { OfferList } from "./Offers";
import { PlaceFields } from "./PlaceFields";
import { TakeOut } from "./TakeOut";
import { UnitFields } from "../../ui/UnitFields";

const BESIDE = 0.05; // m between a garment and its copy

/** One garment: what was read of it, and how it stands to the body at the start. */
export function GarmentPanel({ shot, garment, reading }: { shot: Shot; garment: GarmentRecord; reading: Reading | undefined }) {
  const edit = useEdit(shot);
  const read = reading?.garments[garment.name];
  const fault = reading?.faults[garment.name];
  return (
    <Panel label={garment.name}>
      <Typography sx={{ fontWeight: 600, fontSize: 13.5 }}>{garment.name}</Typography>
      {reading === undefined && <Typography sx={{ fontSize: 12.5, color: "text.secondary" }}>Reading…</Typography>}
      {read !== undefined && <Figures read={read} />}
      <Notes notes={read?.notes ?? []} />
      {fault !== undefined && <FaultNote fault={fault} />}
      {read !== undefined && (
        <OfferList shot={shot} name={garment.name} offers={read.offers as Offer[]} />
      )}
      {garment.recipe.kind === "file" ? (
        <FileFields shot={shot} name={garment.name} recipe={garment.recipe} />
      ) : (
        <Typography sx={{ fontSize: 12.5, color: "text.secondary" }}>Made here, where the figure stands. Its cut is on the Wardrobe bench.</Typography>
      )}
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button
          aria-label={`Copy ${garment.name}`}
          disabled={edit.isPending || garment.recipe.kind !== "file"}
          onClick={() => {
            edit.mutate({ edit: (document) => copyGarment(document, garment.name, (read?.size[0] ?? 0) + BESIDE) });
          }}
          sx={{ mt: 0.25, ml: -0.75, fontWeight: 400, fontSize: 12.5 }}
        >
          Copy
        </Button>
        <TakeOut shot={shot} name={garment.name} />
      </Box>
    </Panel>
  );
}

/** Where and how large a garment's file is read. */
function FileFields({ shot, name, recipe }: { shot: Shot; name: string; recipe: FileRecipe }) {
  const edit = useEdit(shot);
  return (
    <>
      <PlaceFields
        placed={recipe.placed}
        change={(placed, said) => {
          edit.mutate({ edit: (document) => changeRecipe(document, name, { placed }, said) });
        }}
      />
      <UnitFields
        unit={recipe.unit}
        up={recipe.up}
        change={(change, said) => {
          edit.mutate({ edit: (document) => changeRecipe(document, name, change, said) });
        }}
      />
    </>
  );
}

function Figures({ read }: { read: GarmentReading }) {
  return (
    <>
      <Figure name="Vertices" value={read.vertices.toLocaleString("en")} />
      <Figure name="Triangles" value={read.triangles.toLocaleString("en")} />
      <Figure name="Spacing" value={mm(read.spacing)} />
      <Figure name="Borders" value={count(read.borders.length, "loop")} />
      {read.nearest !== null && <Figure name="Nearest to a collider" value={mm(read.nearest)} />}
      {read.furthest !== null && <Figure name="Furthest from one" value={mm(read.furthest)} />}
    </>
  );
}
