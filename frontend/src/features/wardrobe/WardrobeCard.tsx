import Typography from "@mui/material/Typography";
import type { FabricRecord, GarmentReading, GarmentRecord, Reading, Shot } from "../../api/client";
import { bendingLength } from "../../domain/swatches";
import { count, mm } from "../../domain/words";
import { Card, Figure, Section } from "../../ui/Card";
import { useGarmentAtHand } from "../../state/garment";
import { GarmentPicker } from "../../ui/GarmentPicker";
import { SwatchSection } from "./SwatchSection";
import { Worn } from "./Worn";

/** What each garment is made of and how it is worn. */
export function WardrobeCard({ shot, reading }: { shot: Shot; reading: Reading | undefined }) {
  const names = shot.document.garments.map((garment) => garment.name);
  const name = useGarmentAtHand(shot);
  const garment = shot.document.garments.find((one) => one.name === name);
  const fabric = shot.document.fabrics.find((one) => one.name === garment?.fabric);
  if (garment === undefined || fabric === undefined) {
    return (
      <Card title="Wardrobe" lead="What each garment is made of.">
        <Typography variant="body2">There is no garment yet. Bring one in on the Cast bench.</Typography>
      </Card>
    );
  }
  return (
    <Card title="Wardrobe" lead="Choose the cloth a garment is made of, then change what this costume needs of it.">
      <GarmentPicker names={names} garment={garment.name} />
      <SwatchSection key={`${garment.name} of ${fabric.name}`} shot={shot} garment={garment} fabric={fabric} />
      <Worn key={garment.name} shot={shot} garment={garment} fabric={fabric} />
      <Hang read={reading?.garments[garment.name]} garment={garment} fabric={fabric} />
    </Card>
  );
}

/** What follows from the swatch for this garment, in figures. */
function Hang({ read, garment, fabric }: { read: GarmentReading | undefined; garment: GarmentRecord; fabric: FabricRecord }) {
  const bends = [fabric.bend_warp, fabric.bend_weft].map((rigidity) => bendingLength(rigidity, fabric.areal_density));
  const spacing = read?.spacing ?? 0;
  const coarse = spacing > Math.min(...bends) / 2;
  return (
    <Section title={`The ${garment.name} in this fabric`}>
      {read !== undefined && <Figure name="Weighs" value={`${Math.round(read.area * fabric.areal_density * 1000).toLocaleString("en")} g`} />}
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
