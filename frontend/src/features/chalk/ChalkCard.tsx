import Typography from "@mui/material/Typography";
import type { Reading, Shot } from "../../api/client";
import { mapAtHand, mapsOf } from "../../domain/chalk";
import { useLastReading } from "../../state/queries";
import { useRoom } from "../../state/room";
import { Card } from "../../ui/Card";
import { useGarmentAtHand } from "../../state/garment";
import { GarmentPicker } from "../../ui/GarmentPicker";
import { BrushSection } from "./BrushSection";
import { MapList } from "./MapList";
import { MapPanel } from "./MapPanel";
import { Rules } from "./Rules";

/** Maps: where the cloth is held, stiffer, heavier, drawn by hand and by rules. */
export function ChalkCard({ shot, reading: newest }: { shot: Shot; reading: Reading | undefined }) {
  const reading = useLastReading(shot, newest);
  const names = shot.document.garments.map((garment) => garment.name);
  const garment = useGarmentAtHand(shot);
  const wanted = useRoom((room) => room.chalk);
  if (garment === undefined) {
    return (
      <Card title="Chalk" lead="Where the cloth is held, stiffer or heavier.">
        <Typography variant="body2">There is no garment to draw on yet. Bring one in on the Cast bench.</Typography>
      </Card>
    );
  }
  const maps = mapsOf(shot.document, garment);
  const map = mapAtHand(maps, wanted);
  return (
    <Card title="Chalk" lead={map === undefined ? "Begin a map: say what it is for." : "Draw on the cloth; the right button turns it."}>
      <GarmentPicker names={names} garment={garment} />
      <MapList shot={shot} garment={garment} maps={maps} at={map} />
      {map !== undefined && (
        <>
          <BrushSection />
          <Rules shot={shot} garment={garment} map={map} maps={maps} reading={reading} />
          <MapPanel shot={shot} garment={garment} map={map} />
        </>
      )}
    </Card>
  );
}
