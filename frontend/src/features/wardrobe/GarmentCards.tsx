import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import Typography from "@mui/material/Typography";
import type { GarmentReading, GarmentRecord, Reading, Shot } from "../../api/client";
import { recipeSaid } from "../../domain/recipes";
import { mm } from "../../domain/words";
import { useRoom } from "../../state/room";
import { useGarmentPicture } from "./useGarmentPicture";

/** The costume as pictures, innermost first; the one that is worked on is framed. */
export function GarmentCards({ shot, reading, chosen }: { shot: Shot; reading: Reading | undefined; chosen: string | undefined }) {
  return shot.document.garments.map((garment, place) => (
    <GarmentCard key={garment.name} shot={shot} garment={garment} dye={place} read={reading?.garments[garment.name]} fault={reading?.garments[garment.name]?.making?.sewn?.worn === false ? undefined : reading?.faults[garment.name]?.what} chosen={garment.name === chosen} />
  ));
}

interface OfGarment {
  shot: Shot;
  garment: GarmentRecord;
  dye: number;
  read: GarmentReading | undefined;
  fault: string | undefined;
  chosen: boolean;
}

function GarmentCard({ shot, garment, dye, read, fault, chosen }: OfGarment) {
  const set = useRoom((room) => room.set);
  const picture = useGarmentPicture(shot, garment.name, dye);
  const fabric = shot.document.fabrics.find((one) => one.name === garment.fabric);
  const grams = read === undefined || fabric === undefined ? null : Math.round(read.making?.grams ?? read.area * fabric.areal_density * 1000);
  return (
    <ButtonBase
      aria-pressed={chosen}
      aria-label={`Work on the ${garment.name}`}
      onClick={() => {
        set({ garment: garment.name, chosen: null, litBorder: null, hold: null });
      }}
      sx={{
        display: "flex",
        alignItems: "stretch",
        textAlign: "left",
        width: "100%",
        mb: 1,
        p: 0.75,
        gap: 1.25,
        borderRadius: 1,
        border: 2,
        borderColor: chosen ? "primary.main" : "divider",
        bgcolor: "background.paper",
      }}
    >
      <Box sx={{ width: 66, height: 66, flex: "none", borderRadius: 0.75, bgcolor: (theme) => theme.cloth.stage, overflow: "hidden" }}>
        {picture !== null && <img src={picture} alt="" width={66} height={66} />}
      </Box>
      <Box sx={{ minWidth: 0, flex: 1 }}>
        <Typography sx={{ fontSize: 13.5, fontWeight: 600, lineHeight: 1.3, overflowWrap: "anywhere" }}>
          {garment.name}{" "}
          <Typography component="span" sx={{ fontSize: 12, color: "text.secondary" }}>
            {recipeSaid(garment.recipe)}
          </Typography>
        </Typography>
        <Typography sx={{ fontSize: 12.5, lineHeight: 1.35 }} noWrap>
          {garment.fabric}
          {grams !== null && <span className="figure"> · {grams.toLocaleString("en")} g</span>}
        </Typography>
        {fault !== undefined ? (
          <Typography sx={{ fontSize: 12, color: "error.main", lineHeight: 1.35 }} noWrap>
            {fault}
          </Typography>
        ) : (
          <Typography className="figure" sx={{ fontSize: 12, lineHeight: 1.45 }}>
            {read === undefined ? "reading…" : meshSaid(garment, read)}
          </Typography>
        )}
      </Box>
    </ButtonBase>
  );
}

/** The spacings of a garment, the one in use with its vertices. */
function meshSaid(garment: GarmentRecord, read: GarmentReading): string {
  const vertices = read.vertices.toLocaleString("en");
  const at = garment.recipe.spacing;
  if (at == null) return `${mm(read.spacing)} as made, ${vertices} vertices`;
  const said = (name: "draft" | "fine") => `${name} ${at[`${name}_mm`]} mm${at.use === name ? ` ${vertices}` : ""}`;
  return `${said("draft")} · ${said("fine")}`;
}
