import Typography from "@mui/material/Typography";
import type { Reading, Shot } from "../../api/client";
import { holdsOf } from "../../domain/edits";
import { Card, Section } from "../../ui/Card";
import { useGarmentAtHand } from "../../state/garment";
import { GarmentPicker } from "../../ui/GarmentPicker";
import { Choosing } from "../../ui/Choosing";
import { HoldPanel } from "./HoldPanel";
import { NewHold } from "./NewHold";

/** What holds the cloth: choose some of it, and say how it is held. */
export function FastenCard({ shot, reading }: { shot: Shot; reading: Reading | undefined }) {
  const names = shot.document.garments.map((garment) => garment.name);
  const garment = useGarmentAtHand(shot);
  if (garment === undefined) {
    return (
      <Card title="Fasten" lead="What holds the cloth.">
        <Typography variant="body2">There is no garment to fasten yet. Bring one in on the Cast bench.</Typography>
      </Card>
    );
  }
  const read = reading?.garments[garment];
  const holds = holdsOf(shot.document, garment);
  return (
    <Card title="Fasten" lead="Point at a border and press it, or draw around cloth. Then say how it is held.">
      <GarmentPicker names={names} garment={garment} />
      <Choosing shot={shot} garment={garment} read={read} />
      <NewHold shot={shot} garment={garment} borders={read?.borders ?? []} />
      <Section title="Holds">
        {holds.length === 0 && (
          <Typography variant="body2" color="text.secondary">
            Nothing is held: the garment would fall.
          </Typography>
        )}
        {holds.map((hold) => (
          <HoldPanel key={hold.name} shot={shot} garment={garment} hold={hold} read={read?.holds.find((one) => one.name === hold.name)} />
        ))}
      </Section>
    </Card>
  );
}
