import Typography from "@mui/material/Typography";
import type { FabricRecord, GarmentReading, GarmentRecord, Reading, Shot } from "../../api/client";
import { bendingLength } from "../../domain/swatches";
import { count, mm } from "../../domain/words";
import { useLastReading } from "../../state/queries";
import { Card, FaultNote, Figure, Section } from "../../ui/Card";
import { useGarmentAtHand } from "../../state/garment";
import { FilePanel } from "./FilePanel";
import { FlouncePanel } from "./FlouncePanel";
import { GarmentCards } from "./GarmentCards";
import { MakeAnother } from "./MakeAnother";
import { RingsPanel } from "./RingsPanel";
import { SewnPanel } from "./SewnPanel";
import { SpacingPanel } from "./SpacingPanel";
import { SwatchSection } from "./SwatchSection";
import { Worn } from "./Worn";

/** The costume as pictures; then of the one at hand how it is cut, meshed, and of what cloth. */
export function WardrobeCard({ shot, reading }: { shot: Shot; reading: Reading | undefined }) {
  const name = useGarmentAtHand(shot);
  const read = useLastReading(shot, reading);
  const garment = shot.document.garments.find((one) => one.name === name);
  const fabric = shot.document.fabrics.find((one) => one.name === garment?.fabric);
  const waits = garment !== undefined && reading?.garments[garment.name]?.making?.sewn?.worn === false; // the card says so itself
  const fault = garment === undefined || waits ? undefined : reading?.faults[garment.name];
  return (
    <Card title="Wardrobe" lead={garment === undefined ? "Nothing is worn yet. Choose a way to make the first garment." : "What the costume is made of, piece by piece."}>
      <GarmentCards shot={shot} reading={read} chosen={garment?.name} />
      <MakeAnother shot={shot} reading={read} />
      {fault !== undefined && <FaultNote fault={fault} />}
      {garment !== undefined && <Cut shot={shot} garment={garment} read={read?.garments[garment.name]} />}
      {garment !== undefined && <SpacingPanel key={`spacing ${garment.name}`} shot={shot} garment={garment} read={read?.garments[garment.name]} />}
      {garment !== undefined && fabric !== undefined && (
        <>
          <SwatchSection key={`${garment.name} of ${fabric.name}`} shot={shot} garment={garment} fabric={fabric} />
          <Worn key={garment.name} shot={shot} garment={garment} fabric={fabric} />
          <Hang read={read?.garments[garment.name]} garment={garment} fabric={fabric} />
        </>
      )}
    </Card>
  );
}

/** How the garment at hand is made. */
function Cut({ shot, garment, read }: { shot: Shot; garment: GarmentRecord; read: GarmentReading | undefined }) {
  const { recipe, name } = garment;
  switch (recipe.kind) {
    case "file":
      return <FilePanel key={name} shot={shot} name={name} recipe={recipe} making={read?.making} />;
    case "rings":
      return <RingsPanel key={name} shot={shot} name={name} recipe={recipe} making={read?.making} />;
    case "flounce":
      return <FlouncePanel key={name} shot={shot} name={name} recipe={recipe} making={read?.making} />;
    case "sewn":
      return <SewnPanel key={name} shot={shot} name={name} recipe={recipe} making={read?.making} />;
  }
}

/** What follows from the swatch for this garment, in figures. */
function Hang({ read, garment, fabric }: { read: GarmentReading | undefined; garment: GarmentRecord; fabric: FabricRecord }) {
  const bends = [fabric.bend_warp, fabric.bend_weft].map((rigidity) => bendingLength(rigidity, fabric.areal_density));
  const spacing = read?.spacing ?? 0;
  const coarse = spacing > Math.min(...bends) / 2;
  return (
    <Section title={`The ${garment.name} in this fabric`}>
      {read !== undefined && <Figure name="Weighs" value={`${Math.round(read.making?.grams ?? read.area * fabric.areal_density * 1000).toLocaleString("en")} g`} />}
      {read !== undefined && <Figure name="Cloth in it" value={`${read.area.toFixed(2)} m²`} />}
      {read !== undefined && <Figure name="Spacing" value={`${mm(spacing)}, ${count(read.vertices, "vertex", "vertices")}`} />}
      <Figure name="Bends over, warp" value={mm(bends[0] ?? 0)} />
      <Figure name="Bends over, weft" value={mm(bends[1] ?? 0)} />
      {read !== undefined && coarse && (
        <Typography sx={{ fontSize: 12, color: "text.secondary", mt: 0.5 }}>
          This cloth folds finer than half its spacing can show: the finest folds will be missing.
        </Typography>
      )}
    </Section>
  );
}
